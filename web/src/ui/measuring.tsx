import { Bar } from "./bar";

/** Stands where figures will be, and says how far they are. */
export function Measuring({ share, what = "It" }: { share: number; what?: string }) {
  return (
    <div className="max-w-64 text-muted">
      {what} is being measured.
      <Bar share={share} name="Measured" />
    </div>
  );
}
