import { useEffect } from "react";

const rooms: Record<string, string> = { takes: "Takes", sync: "Sync", loom: "Loom", gauge: "Gauge", print: "Print", queue: "Work" };

/** What the browser's tab is called: the narrowest first, as tabs cut off the end. */
export function titleOf(path: string, production?: string, reel?: string): string {
  const room = rooms[path.split("/")[3] ?? ""];
  return [reel, room, production, "Zesty Loom"].filter(Boolean).join(" – ");
}

export function useTitle(path: string, production?: string, reel?: string) {
  const title = titleOf(path, production, reel);
  useEffect(() => {
    document.title = title;
  }, [title]);
}
