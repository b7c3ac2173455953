import { useDraft } from "../../ui/draft";

/** A text field that is kept when it is left or Enter is pressed, and put back by Escape. */
export function Kept(p: { label: string; value: string; onKeep: (text: string) => void; className?: string; placeholder?: string }) {
  const { field } = useDraft(p.value, p.onKeep);
  return <input className={`field h-7 ${p.className ?? ""}`} aria-label={p.label} placeholder={p.placeholder} {...field} />;
}
