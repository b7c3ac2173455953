// Where clips can be cut without a click, as the server finds it in their sound.
import { api, ok } from "../../../api/client";
import { tell } from "../../../ui/notices";

/** How long the server is waited for, in milliseconds: then the place itself is taken. The hand is not kept waiting for it. */
const patience = 1000;

export const crossingOf =
  (reel: string) =>
  (clips: string[], at: number, alone = false): Promise<number> => {
    const found = ok(api.POST("/reels/{reel}/crossing", { params: { path: { reel } }, body: { clips, at, alone } })).then((r) => r.at);
    const late = new Promise<never>((_, no) => setTimeout(() => no(new Error("late")), patience));
    return Promise.race([found, late]).catch(() => {
      tell("Where the sound crosses zero could not be asked just now, so it was cut at the place itself.");
      return at;
    });
  };
