/** Reads a figure as people type it: 1,5 · −3 dB. Null where it is none. */
export const number = (text: string) => {
  const n = Number(text.replace("−", "-").replace(",", ".").replace(/\s*dB$/i, ""));
  return text.trim() !== "" && Number.isFinite(n) ? n : null;
};
