// Figures of levels and loudness, as they are written.

/** A figure to a decimal or more, with a true minus; a dash where there is none. */
export const decimal = (x: number | null | undefined, places = 1) =>
  x === null || x === undefined
    ? "–"
    : (Math.round(x * 10 ** places) / 10 ** places)
        .toFixed(places)
        .replace(/^-(0(?:\.0+)?)$/, "$1")
        .replace("-", "−");

/** The same with its sign. */
export const signed = (x: number, places = 1) => (x > 0 ? "+" : "") + decimal(x, places);
