/** Where a new reel starts; left empty, it is where its picture or its sound does. */
export function ReelStart({ value, onChange }: { value: string; onChange: (text: string) => void }) {
  return (
    <label className="flex flex-col gap-1 text-[13px] text-muted">
      Starts at
      <input
        className="field tc w-44"
        value={value}
        placeholder="where its sound does"
        title="Leave it empty: the reel starts with its picture, else with what is laid on it first"
        onChange={(e) => onChange(e.target.value)}
      />
    </label>
  );
}
