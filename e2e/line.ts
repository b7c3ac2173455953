// A line to a server that can be cut, be slow, and lose answers.
import { connect, createServer, type AddressInfo, type Server, type Socket } from "node:net";

export class Line {
  /** How long everything takes each way, in milliseconds. */
  delay = 0;
  /** Of how many answers one is lost, after the server has done what it was asked for; none at 0. */
  loses = 0;
  lost = 0;
  private cut = false;
  private open = new Set<Socket>();
  private server: Server;
  private answers = 0;

  private constructor(private target: number) {
    this.server = createServer((from) => this.join(from));
  }

  static async to(url: string): Promise<Line> {
    const line = new Line(Number(new URL(url).port));
    await new Promise<void>((done) => line.server.listen(0, "127.0.0.1", done));
    return line;
  }

  get url() {
    return `http://127.0.0.1:${(this.server.address() as AddressInfo).port}`;
  }

  private join(from: Socket) {
    if (this.cut) return void from.destroy();
    const to = connect(this.target, "127.0.0.1");
    const end = () => [from, to].forEach((s) => s.destroy());
    for (const s of [from, to]) {
      this.open.add(s);
      s.on("error", end);
      s.on("close", () => {
        this.open.delete(s);
        end();
      });
    }
    let asks = false; // something is changed
    const later = (what: () => void) => (this.delay > 0 ? setTimeout(what, this.delay) : what());
    from.on("data", (d) => {
      asks = /^(POST \/api\/v1\/reels\/\S+\/(commands|ties|undo|redo)|(PATCH|PUT|DELETE) \/api)/.test(d.toString("latin1"));
      later(() => to.writable && to.write(d));
    });
    to.on("data", (d) => {
      if (asks && this.loses > 0 && ++this.answers % this.loses === 0) {
        this.lost++;
        return end();
      }
      later(() => from.writable && from.write(d));
    });
  }

  /** Nothing goes through until it is mended. */
  sever() {
    this.cut = true;
    this.open.forEach((s) => s.destroy());
  }

  mend() {
    this.cut = false;
  }

  close() {
    this.sever();
    this.server.close();
  }
}
