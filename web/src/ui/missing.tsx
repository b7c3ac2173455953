import { tell } from "./notices";

type Query = { data?: unknown; error: Error | null; isFetching: boolean; refetch: () => Promise<{ error: Error | null }> };

/** Says, where something should be seen that could not be fetched, why it is not, and offers to try again. */
export function Missing({ of }: { of: Query[] }) {
  const failed = of.filter((q) => q.error && q.data === undefined);
  if (failed.length === 0) return null;
  return (
    <div className="m-5 rounded-xl border border-wrong px-5 py-4" role="alert">
      {[...new Set(failed.map((q) => q.error!.message))].map((m) => (
        <p key={m}>{m}</p>
      ))}
      <button
        className="pill mt-2 h-7"
        disabled={failed.some((q) => q.isFetching)}
        onClick={() => failed.forEach((q) => void q.refetch().then((r) => r.error && tell(r.error.message, true)))}
      >
        Try again
      </button>
    </div>
  );
}
