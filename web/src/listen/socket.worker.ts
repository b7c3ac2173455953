// The socket, in a worker of its own: blocks go from here straight to the AudioWorklet, so that a busy page never makes
// a gap. The page hears of positions and meters a few times a frame at most.
import type { Arrival, Ended } from "./player";
import type { Block, Heard } from "./queue";

/** What is measured of what is listened to; what there is not, as in silence, is null. */
export type Reading = {
  momentary: number | null;
  shortTerm: number | null;
  integrated: number | null;
  truePeak: number | null;
  correlation: number | null;
  typeI: number | null;
  typeII: number | null;
};

/** What the page sends: requests for the server, or where the worklet is. */
export type ToSocket = { do: "connect"; url: string; worklet: MessagePort } | { do: "send"; generation: number; message: object };

/** What the page gets. */
export type FromSocket =
  | { is: "heard"; heard: Heard; meters: number[]; rows?: number[]; shorts?: number[]; wires?: Arrival[]; recorded?: number }
  | { is: "recorded"; tape: Ended }
  | { is: "compared"; generation: number; louder: number }
  | { is: "measured"; generation: number; loudness: Reading }
  | { is: "failed"; generation: number; message: string }
  | { is: "waits"; generation: number; message: string }
  | { is: "closed"; everOpen: boolean };

type Reply = {
  generation: number;
  position: number;
  meters?: number[];
  rows?: number[];
  shorts?: number[];
  wires?: Arrival[];
  recorded?: number;
  tape?: Ended;
  louder?: number;
  loudness?: Reading;
  ended?: boolean;
  error?: string;
  waits?: string;
};

const headBytes = 20;

let socket: WebSocket | null = null;
let worklet: MessagePort | null = null;
let url = "";
let generation = 0;
type Looked = { rows?: number[]; shorts?: number[]; wires?: Arrival[]; recorded?: number };
let readings: ({ at: number; meters: number[] } & Looked)[] = []; // at: frames that sound before
let begun = 0; // frames before the last block
let waiting: string[] = [];

const tell = (m: FromSocket) => postMessage(m);

function connect() {
  let open = false;
  const s = new WebSocket(url);
  s.binaryType = "arraybuffer";
  s.onopen = () => {
    open = true;
    waiting.forEach((m) => s.send(m));
    waiting = [];
  };
  s.onclose = () => {
    if (socket === s) socket = null;
    waiting = [];
    tell({ is: "closed", everOpen: open });
  };
  s.onmessage = ({ data }) => (typeof data === "string" ? told(JSON.parse(data) as Reply) : sound(data as ArrayBuffer));
  socket = s;
}

function send(message: object) {
  const text = JSON.stringify(message);
  if (socket?.readyState === WebSocket.OPEN) socket.send(text);
  else {
    waiting.push(text);
    if (!socket) connect();
  }
}

function sound(data: ArrayBuffer) {
  const view = new DataView(data);
  const of = view.getUint32(0, true);
  if (of !== generation) return;
  const [position, frame] = [Number(view.getBigInt64(4, true)), Number(view.getBigInt64(12, true))];
  const block: Block = { generation: of, position, frame, samples: new Float32Array(data.slice(headBytes)) };
  readings = readings.filter((r) => r.at < frame); // of what it takes the place of
  begun = frame;
  worklet?.postMessage({ do: "block", ...block }, [block.samples.buffer]);
}

function told(m: Reply) {
  if (m.error) return tell({ is: "failed", generation: m.generation, message: m.error });
  if (m.tape) return tell({ is: "recorded", tape: m.tape }); // of what has ended, whatever plays now
  if (m.generation !== generation) return;
  if (m.louder !== undefined) return tell({ is: "compared", generation, louder: m.louder });
  if (m.waits) return tell({ is: "waits", generation, message: m.waits });
  if (m.loudness) tell({ is: "measured", generation, loudness: m.loudness }); // of what has sounded
  const { rows, shorts, wires, recorded } = m;
  // It follows its block. What plays may have no outputs, and rows all the same.
  if (m.meters || rows || wires || recorded) readings.push({ at: begun, meters: m.meters ?? [], rows, shorts, wires, recorded });
  if (m.ended) worklet?.postMessage({ do: "end", generation });
}

function heard(h: Heard) {
  if (h.generation !== generation) return;
  send({ do: "played", generation, frames: h.frames });
  let meters: number[] = [];
  let looked: Looked = {};
  while (readings[0] && readings[0].at <= h.frames) {
    const r = readings.shift()!;
    if (r.meters.length > 0) meters = r.meters;
    looked = { rows: r.rows ?? looked.rows, shorts: r.shorts ?? looked.shorts, wires: r.wires ?? looked.wires, recorded: r.recorded };
  }
  tell({ is: "heard", heard: h, meters, ...looked });
}

// biome-ignore lint/suspicious/noGlobalAssign: it is meant so
onmessage = ({ data }: MessageEvent<ToSocket>) => {
  if (data.do === "connect") {
    url = data.url;
    worklet = data.worklet;
    worklet.onmessage = (e: MessageEvent<Heard>) => heard(e.data);
    connect();
    return;
  }
  const message = data.message as { do: string };
  if (message.do === "play" || message.do === "take" || message.do === "match") {
    generation = data.generation;
    readings = [];
    begun = 0;
    const { speed, from } = message as { speed?: number; from?: number };
    worklet?.postMessage({ do: "start", generation, pace: speed ?? 1, position: from ?? 0 });
  }
  if (message.do === "stop") {
    generation = data.generation;
    worklet?.postMessage({ do: "stop" });
    if (!socket) return;
  }
  send({ ...message, generation: data.generation });
};
