// The outbox and the core beside all tabs: one for a browser, so that what one tab edits is at once what the others show, and one alone sends.
import { loadCore } from "./core";
import type { Said, Told } from "./edits";
import { noKeep, openKeep } from "./keep";
import { newKey } from "./key";
import { Outbox } from "./outbox";
import { server } from "./server";

const ports = new Set<MessagePort>();
const tell = (told: Told) => ports.forEach((p) => p.postMessage(told)); // of a tab that is gone a port swallows what is posted

const outbox = openKeep(newKey)
  .catch(() => ({ keep: noKeep, client: newKey() }))
  .then(({ keep, client }) => new Outbox(client, keep, server, tell));

// The page comes first.
setTimeout(
  () =>
    void Promise.all([outbox, loadCore()]).then(
      ([box, core]) => box.plan(core),
      () => undefined, // then edits are shown when the server has answered
    ),
  200,
);

self.addEventListener("connect", (e) => {
  const port = (e as MessageEvent).ports[0]!;
  ports.add(port);
  port.onmessage = (m: MessageEvent<Said>) => void outbox.then((box) => box.hear(m.data, (told) => port.postMessage(told)));
});
