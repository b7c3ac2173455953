import { useDraft, type Keep } from "./draft";

/** A text field that is kept when it is left or Enter is pressed, and put back by Escape. What is refused is said beside it. */
export function Kept(p: { label: string; value: string; onKeep: Keep; className?: string; placeholder?: string }) {
  const { field, refused } = useDraft(p.value, p.onKeep);
  return (
    <span className="relative inline-flex min-w-0">
      <input
        className={`field h-7 ${refused ? "border-wrong" : ""} ${p.className ?? ""}`}
        aria-label={p.label}
        placeholder={p.placeholder}
        {...field}
      />
      {refused && (
        <span role="alert" className="card absolute left-0 top-8 z-30 w-max max-w-60 whitespace-normal px-2 py-1 text-[12px] text-wrong">
          {refused}
        </span>
      )}
    </span>
  );
}
