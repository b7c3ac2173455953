// Paints a part of the weave: threads that cross, open rings where a row arrives, solid knots where it is tied.
import { colour, dye, thread } from "../../../draw/canvas";
import { shownGain, touches, type Cell, type Line, type Place } from "../ground/cells";
import { columnsIn, middleOf, type Column, type Columns } from "../ground/columns";

export type WeaveScene = {
  lines: Line[];
  /** Of the first line among all lines of the weave. */
  first: number;
  columns: Columns;
  cells: (line: Line) => Cell[];
  slid: number;
  chosen: ReadonlySet<string>; // tracks
  /** The chosen block. */
  places: Place[];
  /** What a drag would tie, or clear. */
  ghosts: { places: Place[]; clears: boolean };
  pointed: Place | null;
};

const under = 5; // how far a thread that passes under a column keeps from its middle

export function paintWeave(g: CanvasRenderingContext2D, width: number, height: number, scroll: number, s: WeaveScene) {
  const theme = {
    warp: colour("--warp"),
    line: colour("--line"),
    paper: colour("--paper"),
    ground: colour("--ground"),
    muted: colour("--muted"),
    wrong: colour("--wrong"),
    zest: colour("--zest"),
  };
  const [from, to] = columnsIn(s.columns, s.slid, s.slid + width);
  const inView = s.lines
    .map((line, i) => ({ line, index: s.first + i }))
    .filter(({ line }) => line.y + line.height > scroll && line.y < scroll + height);
  g.save();
  g.translate(-s.slid, -scroll);
  for (const { line } of inView) {
    if (s.chosen.has(line.id)) fillRect(g, theme.paper, s.slid, line.y, width, line.height);
  }
  for (const c of s.columns.list.slice(from, to)) warp(g, c, scroll, height, theme.warp);
  for (const { line, index } of inView) {
    fillRect(g, theme.line, s.slid, line.y + line.height - 1, width, 1);
    const cells = s.cells(line);
    g.globalAlpha = line.muted ? 0.35 : 1;
    weft(g, line, cells, s, from, to);
    for (let i = from; i < to; i++)
      mark(g, line, s.columns.list[i]!, cells[i]!, s.pointed?.line === index && s.pointed.column === i, theme);
    g.globalAlpha = 1;
  }
  const byIndex = new Map(inView.map((x) => [x.index, x.line]));
  for (const p of s.places) shade(g, byIndex.get(p.line), s.columns.list[p.column], theme.zest, 0.16);
  for (const p of s.ghosts.places) shade(g, byIndex.get(p.line), s.columns.list[p.column], s.ghosts.clears ? theme.wrong : theme.zest, 0.4);
  g.restore();
}

function fillRect(g: CanvasRenderingContext2D, fill: string, x: number, y: number, width: number, height: number) {
  g.fillStyle = fill;
  g.fillRect(x, y, width, height);
}

function warp(g: CanvasRenderingContext2D, c: Column, scroll: number, height: number, fill: string) {
  if (!c.folded) return fillRect(g, fill, middleOf(c) - 0.75, scroll, 1.5, height);
  for (const off of [-3, 0, 3]) fillRect(g, fill, middleOf(c) + off - 0.5, scroll, 1, height); // several threads, laid together
}

/** The row's thread: it lies over the columns that it feeds and passes under the others. */
function weft(g: CanvasRenderingContext2D, line: Line, cells: Cell[], s: WeaveScene, from: number, to: number) {
  const last = cells.findLastIndex(touches);
  if (last < 0) return;
  const y = line.y + line.height / 2;
  g.strokeStyle = dyeOf(line);
  g.lineWidth = line.row === "stem" || line.row === "mix" ? 3 : 1.75;
  g.setLineDash(thread(line.stem));
  g.beginPath();
  for (let i = from; i < Math.min(to, last + 1); i++) {
    const c = s.columns.list[i]!;
    const before = s.columns.list[i - 1];
    const left = before ? before.x + before.width : 0;
    const right = i === last ? middleOf(c) : c.x + c.width;
    if (touches(cells[i]!)) {
      g.moveTo(left, y);
      g.lineTo(right, y);
    } else {
      g.moveTo(left, y);
      g.lineTo(middleOf(c) - under, y);
      g.moveTo(middleOf(c) + under, y);
      g.lineTo(right, y);
    }
  }
  g.stroke();
  g.setLineDash([]);
}

const dyeOf = (line: Line) => (line.row === "mix" ? colour("--ink") : dye(line.stem));

type Theme = { ground: string; muted: string; wrong: string };

function mark(g: CanvasRenderingContext2D, line: Line, c: Column, cell: Cell, pointed: boolean, theme: Theme) {
  const x = middleOf(c);
  const y = line.y + line.height / 2;
  const most = line.height / 2 - 1.5;
  if (c.folded) return groupMark(g, line, c, cell, pointed, theme);
  const k = cell.knots[0];
  if (k) {
    const text = (Math.abs(k.gainDB) < 0.05 ? "" : shownGain(k.gainDB)) + (k.curve?.length ? "~" : "") + (k.invert ? "ø" : "");
    const strong = line.row === "stem" || line.row === "mix";
    g.font = "700 9px 'Spline Sans Mono Variable', monospace";
    const radius = Math.min(most, strong || text ? 9.5 : 7);
    const half = Math.max(radius, text ? g.measureText(text).width / 2 + 4 : 0);
    pill(g, x, y, half, radius);
    g.fillStyle = dyeOf(line);
    g.fill();
    if (text) words(g, text, x, y, onDye(line));
    if (cell.finding) ring(g, x, y, Math.min(most + 1, radius + 3), theme.wrong, 1.75, [3, 2]);
    return;
  }
  if (cell.finding) {
    g.font = "700 10px 'Spline Sans Mono Variable', monospace";
    ring(g, x, y, Math.min(most, 8), theme.wrong, 2, [3, 2], theme.ground);
    words(g, "?", x, y, theme.wrong);
    return;
  }
  if (cell.fed || cell.reach !== null) ring(g, x, y, Math.min(most, 4.8), dyeOf(line), 2.5, [], theme.ground);
  else if (pointed) ring(g, x, y, Math.min(most, 4.5), theme.muted, 2, []);
}

/** How a row meets a folded group: how many of its channels, solid where it is tied itself. */
function groupMark(g: CanvasRenderingContext2D, line: Line, c: Column, cell: Cell, pointed: boolean, theme: Theme) {
  const x = middleOf(c);
  const y = line.y + line.height / 2;
  const radius = Math.min(line.height / 2 - 1.5, 9);
  const of = c.outputs.length;
  const tied = new Set(cell.knots.map((k) => k.output)).size;
  const n = cell.fed ? of : Math.max(tied, cell.reached);
  g.font = "600 10px 'Spline Sans Mono Variable', monospace";
  if (n > 0) {
    const text = n === of ? (of === 1 ? "●" : "all") : `${n}/${of}`;
    pill(g, x, y, 19, radius);
    const solid = tied > 0;
    g.fillStyle = solid ? dyeOf(line) : theme.ground;
    g.fill();
    g.strokeStyle = dyeOf(line);
    g.lineWidth = 1.75;
    g.stroke();
    words(g, cell.finding ? `${text}?` : text, x, y, solid ? onDye(line) : cell.finding ? theme.wrong : colour("--ink"));
  } else if (cell.finding) {
    ring(g, x, y, radius, theme.wrong, 2, [3, 2], theme.ground);
    words(g, "?", x, y, theme.wrong);
  } else if (pointed) {
    pill(g, x, y, 19, radius);
    g.strokeStyle = theme.muted;
    g.lineWidth = 1.5;
    g.stroke();
  }
}

const onDye = (line: Line) => (line.row === "mix" ? colour("--ground") : colour(line.stem === "DX" ? "--on-DX" : "--on-dye"));

function pill(g: CanvasRenderingContext2D, x: number, y: number, half: number, radius: number) {
  g.beginPath();
  g.roundRect(x - half, y - radius, 2 * half, 2 * radius, radius);
}

function ring(g: CanvasRenderingContext2D, x: number, y: number, radius: number, stroke: string, width: number, dash: number[], fill = "") {
  g.beginPath();
  g.arc(x, y, radius, 0, 2 * Math.PI);
  if (fill) {
    g.fillStyle = fill;
    g.fill();
  }
  g.strokeStyle = stroke;
  g.lineWidth = width;
  g.setLineDash(dash);
  g.stroke();
  g.setLineDash([]);
}

function words(g: CanvasRenderingContext2D, text: string, x: number, y: number, fill: string) {
  g.fillStyle = fill;
  g.textAlign = "center";
  g.textBaseline = "middle";
  g.fillText(text, x, y + 0.5);
  g.textAlign = "left";
}

function shade(g: CanvasRenderingContext2D, line: Line | undefined, c: Column | undefined, fill: string, alpha: number) {
  if (!line || !c) return;
  g.globalAlpha = alpha;
  fillRect(g, fill, c.x, line.y, c.width, line.height - 1);
  g.globalAlpha = 1;
}
