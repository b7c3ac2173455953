// What the benchmarks in the browser share.

/** Calls the API of a running server. */
export const caller = (address) => async (method, path, body) => {
  const headers = { "Content-Type": "application/json" };
  const res = await fetch(`${address}/api/v1${path}`, { method, headers, body: body && JSON.stringify(body) });
  const text = await res.text();
  if (!res.ok) throw new Error(`${method} ${path}: ${text}`);
  return text ? JSON.parse(text) : null;
};

/** Tracks to paste, in turn of each of four stems. */
export const tracksOf = (count) =>
  Array.from({ length: count }, (_, i) => ({
    id: `n${i}`,
    name: `Track ${i + 1}`,
    labels: ["M"],
    stem: ["DX", "FX", "MX", "AX"][i % 4],
    suggested: false,
    feed: { dual: false, pan: 0 },
    gainDB: 0,
    mute: false,
    order: i,
  }));

/** Opens a page, and says how long it took until it showed what is waited for, and what came over the line: until something was painted, and
 * until then, with what is fetched ahead for other rooms. */
export async function loading(page, name, url, shown) {
  const began = Date.now();
  await page.goto(url);
  await shown.waitFor();
  const took = Date.now() - began;
  const { painted, first, all } = await page.evaluate(() => {
    const painted = performance.getEntriesByName("first-contentful-paint")[0].startTime;
    const code = performance.getEntriesByType("resource").filter((e) => /\.(js|css)$/.test(new URL(e.name).pathname) && e.responseEnd > 0);
    const kB = (entries) => Math.round(entries.reduce((sum, e) => sum + e.encodedBodySize, 0) / 1000);
    return { painted: Math.round(painted), first: kB(code.filter((e) => e.startTime < painted)), all: kB(code) };
  });
  console.log(`${name}: painted after ${painted} ms with ${first} kB of scripts and style, complete after ${took} ms with ${all} kB`);
}

export function measuring(page) {
  /** Frame times, and tasks that hold the page up for more than 50 ms, while something is done; in milliseconds. */
  const frames = async (name, act) => {
    await page.evaluate(() => {
      window.times = [];
      window.tasks = [];
      window.looking = new PerformanceObserver((l) => l.getEntries().forEach((e) => window.tasks.push(e.duration)));
      window.looking.observe({ entryTypes: ["longtask"] });
      let last = performance.now();
      const tick = (now) => {
        window.times.push(now - last);
        last = now;
        window.going = requestAnimationFrame(tick);
      };
      window.going = requestAnimationFrame(tick);
    });
    await act();
    const times = (await page.evaluate(() => (cancelAnimationFrame(window.going), window.times))).slice(2).sort((a, b) => a - b);
    const at = (share) => times[Math.floor(share * (times.length - 1))].toFixed(1);
    const tasks = await page.evaluate(() => (window.looking.disconnect(), window.tasks));
    console.log(
      [
        `${name}: ${tasks.length === 0 ? "no task over 50 ms" : `${tasks.length} tasks over 50 ms, the longest ${Math.max(...tasks).toFixed(0)}`}`,
        `${times.length} frames, median ${at(0.5)} ms, 95th percentile ${at(0.95)} ms, longest ${at(1)} ms`,
        `${times.filter((t) => t > 33.4).length} longer than 33 ms`,
      ].join("; "),
    );
  };
  const wheel = async (times, dx, dy, key) => {
    if (key) await page.keyboard.down(key);
    for (let i = 0; i < times; i++) await page.mouse.wheel(dx, dy);
    if (key) await page.keyboard.up(key);
  };
  /** What is done to the Loom's time, with the pointer over it. */
  const inTime = async () => {
    await frames("zooming in and out", async () => {
      await wheel(60, 0, -30, "Control");
      await wheel(60, 0, 30, "Control");
    });
    await frames("scrolling through time", async () => {
      await wheel(20, 0, -30, "Control");
      await wheel(80, 60, 0);
      await wheel(80, -60, 0);
    });
  };
  return { frames, wheel, inTime };
}

/** All takes of a production. */
export async function takesOf(call, production) {
  const takes = [];
  let after = "";
  do {
    const page = await call("GET", `/productions/${production}/takes?after=${encodeURIComponent(after)}`);
    takes.push(...page.takes);
    after = page.next;
  } while (after);
  return takes;
}
