// Where the focus goes when something that was opened is closed again.

/**
 * For `onCloseAutoFocus`: back to where one was, or to a place of its own; unless the focus is somewhere else by then. A hand that types on at once has
 * gone on, and is not taken back.
 */
export const backTo =
  (place?: () => HTMLElement | null | undefined) =>
  (e: Event): void => {
    const on = document.activeElement;
    const gone = on && on !== document.body && !(e.target instanceof Node && e.target.contains(on));
    const to = gone ? undefined : place?.();
    if (gone || to) e.preventDefault();
    to?.focus({ preventScroll: true });
  };

export const back = backTo();
