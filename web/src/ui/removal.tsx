import { Dialog } from "./dialog";

/** Asks once more before something goes for good. */
export function Removal({
  open,
  onOpenChange,
  title,
  about,
  onRemove,
}: {
  open: boolean;
  onOpenChange: (open: boolean) => void;
  title: string;
  about: string;
  onRemove: () => void;
}) {
  return (
    <Dialog open={open} onOpenChange={onOpenChange} title={title} about={about}>
      <div className="flex gap-3">
        <button className="pill-act" onClick={() => onOpenChange(false)}>
          Keep it
        </button>
        <button className="pill h-8 text-wrong" onClick={onRemove}>
          Remove it for good
        </button>
      </div>
    </Dialog>
  );
}
