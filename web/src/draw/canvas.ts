// Canvas helpers that every drawing shares: sharp pixels and the colours of the day or night.

type Size = { width: number; height: number };

/** Sizes of canvases, as the browser tells them: asking has it lay out the page anew, in the middle of what changes it. */
const sizes = new WeakMap<Element, Size>();
let observer: ResizeObserver | undefined;

function sizeOf(canvas: HTMLCanvasElement): Size {
  const known = sizes.get(canvas);
  if (known) return known;
  observer ??= new ResizeObserver((all) =>
    all.forEach((e) => sizes.set(e.target, { width: e.contentRect.width, height: e.contentRect.height })),
  );
  observer.observe(canvas);
  return { width: canvas.clientWidth, height: canvas.clientHeight };
}

const tops = new WeakMap<Element, number>();

/** How far something is scrolled down, as the browser told it last; asking it would, like its size, have it lay out the page anew. */
export function topOf(scroller: Element | null | undefined): number {
  if (!scroller) return 0;
  const known = tops.get(scroller);
  if (known !== undefined) return known;
  tops.set(scroller, scroller.scrollTop);
  scroller.addEventListener("scroll", () => tops.set(scroller, scroller.scrollTop), { passive: true, capture: true });
  return scroller.scrollTop;
}

/** Fits a canvas to its box at the screen's resolution and gives a context in CSS pixels; what was painted before is gone, unless it is kept. */
export function fit(canvas: HTMLCanvasElement, keeps = false): { g: CanvasRenderingContext2D; width: number; height: number } | null {
  const { width, height } = sizeOf(canvas);
  const ratio = window.devicePixelRatio || 1;
  const g = canvas.getContext("2d");
  if (!g || width === 0 || height === 0) return null;
  if (canvas.width !== Math.round(width * ratio) || canvas.height !== Math.round(height * ratio)) {
    canvas.width = Math.round(width * ratio);
    canvas.height = Math.round(height * ratio);
  }
  g.setTransform(ratio, 0, 0, ratio, 0, 0);
  if (!keeps) g.clearRect(0, 0, width, height);
  return { g, width, height };
}

let light: string | undefined;
const colours = new Map<string, string>();

/** The value of a colour of the theme, such as "--ink". Asking the page is slow, so what it says is kept for a day or night. */
export function colour(name: string): string {
  const now = document.documentElement.dataset.light;
  if (now !== light) {
    colours.clear();
    light = now;
  }
  let value = colours.get(name);
  if (value === undefined) {
    value = getComputedStyle(document.documentElement).getPropertyValue(name).trim();
    if (value) colours.set(name, value);
  }
  return value;
}

/** The name of a stem's dye. Stems of a production's own take one of four others, by their tag. */
export function dyeName(stem: string): string {
  if (["DX", "NX", "MX", "FX", "AX"].includes(stem)) return `--dye-${stem}`;
  if (stem === "") return "--muted"; // none
  const sum = [...stem].reduce((n, c) => n * 31 + c.charCodeAt(0), 7);
  return `--dye-own-${(sum % 4) + 1}`;
}

export function dye(stem: string): string {
  return colour(dyeName(stem)) || colour("--ink");
}

/** The texture of a stem's thread, as dashes: plain, twill, dashed, dotted. Never colour alone. */
export function thread(stem: string): number[] {
  return { DX: [], NX: [9, 3], MX: [6, 2, 2, 2], FX: [5, 4], AX: [2, 3] }[stem] ?? [];
}

/** Width of one thread of a waveform and the space to the next, in pixels. */
export const threadWidth = 2;
export const threadStep = 3;
