import { useState } from "react";

/**
 * A value that shows at once what was asked for, before the server has answered, and what there is again when it has: the element stays
 * the same all the while, and keeps the focus.
 */
export function useAhead<T>(value: T, send: (value: T) => Promise<unknown>) {
  const [asked, setAsked] = useState<{ value: T } | null>(null);
  return {
    shown: asked ? asked.value : value,
    /** Shows it, and sends nothing yet. */
    show: (to: T) => setAsked({ value: to }),
    /** Shows it and sends it, unless it is what there is. */
    send: (to: T) => {
      if (to === value) {
        setAsked(null);
        return;
      }
      const mine = { value: to };
      setAsked(mine);
      void send(to).finally(() => setAsked((now) => (now === mine ? null : now)));
    },
  };
}
