import { useMet } from "../api/met";
import { Dialog } from "../ui/dialog";
import { dayAndTime } from "../ui/when";

/** Asks what is to become of a step that somebody else's stands in the way of. */
export function MetDialog() {
  const asked = useMet((s) => s.asked);
  const close = () => useMet.setState({ asked: null });
  const answer = (how: { over: true } | { pass: true }) => {
    close();
    asked?.again(how);
  };
  const undo = asked?.way !== "redo";
  return (
    <Dialog
      open={asked !== null}
      onOpenChange={(open) => !open && close()}
      title={undo ? "It can't be taken back as it was" : "It can't be brought back as it was"}
      about={asked?.at ? `That was done ${dayAndTime(asked.at)}.` : "The rules of the reel stand in its way."}
    >
      <p className="mb-4">{asked?.why}.</p>
      <div className="flex flex-wrap gap-3">
        <button className="pill-act" autoFocus onClick={close}>
          Leave it
        </button>
        <button className="pill h-8" onClick={() => answer({ pass: true })} title="It stays as it is, and the step before is next">
          Pass it
        </button>
        {asked?.at && (
          <button className="pill h-8" onClick={() => answer({ over: true })}>
            {undo ? "Set it back anyway" : "Make it anyway"}
          </button>
        )}
      </div>
    </Dialog>
  );
}
