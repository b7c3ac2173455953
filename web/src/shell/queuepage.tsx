import { useParams } from "react-router";

import { useProduction, useWork } from "../api/hooks";
import { Missing } from "../ui/missing";
import { dayAndTime } from "../ui/when";
import { Header } from "./header";
import { useUploads } from "./uploads";
import { anythingOf, WorkPanel } from "./work";

/** All that is under way in a production, what went wrong, and what was done lately. */
export function QueuePage() {
  const { production: id = "" } = useParams();
  const production = useProduction(id);
  const work = useWork(id);
  const sent = useUploads(id);
  const done = work.data?.filter((w) => w.state === "done" || w.state === "cancelled") ?? [];
  return (
    <div className="flex h-full flex-col">
      <Header production={production.data} />
      {/** biome-ignore lint/a11y/noNoninteractiveTabindex: it scrolls, and nothing in it takes the focus */}
      <main className="min-h-0 grow overflow-auto" tabIndex={0}>
        <div className="mx-auto max-w-3xl px-6 py-6">
          <h1 className="text-[22px] font-bold">Work</h1>
          <p className="mt-1 text-muted">
            Files on their way, and what the server does in the background. It goes on when this page is closed; only files that are being
            sent need it open.
          </p>
          <Missing of={[production, work]} />
          {work.data && !anythingOf(work.data, sent) && <p className="mt-6 text-muted">Nothing is under way.</p>}
          <WorkPanel production={id} whole />
          {done.length > 0 && (
            <section className="mt-6" aria-label="Done">
              <h2 className="mb-1 font-bold">Done</h2>
              <ul className="text-[13px]">
                {done.slice(0, 100).map((w) => (
                  <li key={w.id} className="flex items-baseline gap-3 border-t border-line py-1">
                    <span className="min-w-0 grow">
                      {w.title}
                      {w.state === "cancelled" && <span className="text-muted">, stopped</span>}
                      {w.message && <span className="block text-muted">{w.message}</span>}
                    </span>
                    <time className="tc shrink-0 text-muted" dateTime={w.createdAt}>
                      {dayAndTime(w.createdAt)}
                    </time>
                  </li>
                ))}
              </ul>
            </section>
          )}
        </div>
      </main>
    </div>
  );
}
