import { useAhead } from "./ahead";

/** A box whose tick is sent to the server: it is ticked at once, and as it was where the server refuses. Who sends says why. */
export function Check(p: { on: boolean; label?: string; onChange: (on: boolean) => Promise<unknown> }) {
  const { shown, send } = useAhead(p.on, (on) => p.onChange(on).catch(() => undefined));
  return <input type="checkbox" className="accent-act" aria-label={p.label} checked={shown} onChange={(e) => send(e.target.checked)} />;
}
