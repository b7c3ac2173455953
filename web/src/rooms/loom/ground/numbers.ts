/** Reads a figure as people type it: 1,5 · −3 dB. Null where it is none. */
export const number = (text: string) => {
  const n = Number(
    text
      .replace("−", "-")
      .replace(",", ".")
      .replace(/\s*dB$/i, ""),
  );
  return text.trim() !== "" && Number.isFinite(n) ? n : null;
};

/** Takes a figure to where it is kept, or says what it lies between. */
export const figure =
  (keep: (n: number) => unknown, least = -Infinity, most = Infinity) =>
  (text: string) => {
    const n = number(text);
    if (n === null) return "Type a figure, such as −6.5; Escape puts it back";
    if (n < least || n > most)
      return Number.isFinite(most) ? `It lies between ${sign(least)} and ${sign(most)}` : `It is ${sign(least)} or more`;
    void keep(n);
  };

const sign = (n: number) => (n < 0 ? `−${-n}` : String(n));

/** The gains that can be set, in dB. */
export const gains = [-96, 24] as const;
