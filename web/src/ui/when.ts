// Days and times of the wall clock, in the user's own order, always with 24 hours.

const clock = { hour: "2-digit", minute: "2-digit", hourCycle: "h23" } as const;

/** The day and the time. */
export const dayAndTime = (iso: string) => new Date(iso).toLocaleString([], { year: "numeric", month: "short", day: "numeric", ...clock });

/** The time alone, for what is of today; else the day. */
export function timeOrDay(iso: string, now = new Date()): string {
  const at = new Date(iso);
  return at.toDateString() === now.toDateString()
    ? at.toLocaleTimeString([], clock)
    : at.toLocaleDateString([], { month: "short", day: "numeric" });
}
