// Holds the one stream of events and passes it to every tab.
const ports = new Set<MessagePort>();
let source: EventSource | undefined;

function begin(address: string) {
  source = new EventSource(address);
  source.addEventListener("change", (e) => ports.forEach((p) => p.postMessage(e.data)));
}

self.addEventListener("connect", (e) => {
  const port = (e as MessageEvent).ports[0]!;
  ports.add(port); // of a tab that is gone it swallows what is posted
  port.onmessage = (m: MessageEvent<string>) => {
    if (source)
      port.postMessage('{"kind":"","id":""}'); // a tab that comes later has missed what was said before
    else begin(m.data);
  };
});
