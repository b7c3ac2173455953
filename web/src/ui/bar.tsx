/** How far long work has come. */
export function Bar({ share, name }: { share: number; name?: string }) {
  const told = name ? { role: "progressbar", "aria-label": name, "aria-valuenow": Math.round(share * 100) } : {};
  return (
    <div className="mt-1 h-1 overflow-hidden rounded bg-band" {...told}>
      <div className="h-full rounded bg-ink" style={{ width: `${Math.round(share * 100)}%` }} />
    </div>
  );
}
