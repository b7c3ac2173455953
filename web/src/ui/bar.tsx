/** How far long work has come. */
export function Bar({ share, name }: { share: number; name?: string }) {
  return (
    <div
      className="mt-1 h-1 overflow-hidden rounded bg-band"
      role={name && "progressbar"}
      aria-label={name}
      aria-valuenow={name ? Math.round(share * 100) : undefined}
    >
      <div className="h-full rounded bg-ink" style={{ width: `${Math.round(share * 100)}%` }} />
    </div>
  );
}
