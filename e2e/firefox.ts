// Debian's Firefox, which Playwright does not drive, through WebDriver BiDi; its sound goes to a loudspeaker that is not there, from which
// it can be recorded.
import { type ChildProcess, execFile, spawn } from "node:child_process";
import { existsSync, mkdtempSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import puppeteer, { type Browser } from "puppeteer-core";

export type Firefox = { browser: Browser; home: string; sound?: ChildProcess };

async function until(ready: () => boolean, what: string) {
  for (let i = 0; i < 100; i++) {
    if (ready()) return;
    await new Promise((r) => setTimeout(r, 100));
  }
  throw new Error(`${what} did not come up`);
}

const socketOf = (home: string) => join(home, "native");

/** A sound server with one output that plays to nobody. */
async function startSound(home: string): Promise<ChildProcess> {
  const server = spawn(
    "pulseaudio",
    [
      ...["-n", "--daemonize=no", "--exit-idle-time=-1", "--use-pid-file=no", "--disable-shm=yes", "--log-level=error"],
      ...["-L", "module-null-sink sink_name=nobody rate=48000"],
      ...["-L", `module-native-protocol-unix auth-anonymous=1 socket=${socketOf(home)}`],
    ],
    { env: { ...process.env, HOME: home, PULSE_RUNTIME_PATH: home }, stdio: "ignore" },
  );
  await until(() => existsSync(socketOf(home)), "The sound server");
  return server;
}

/** Starts a browser with a profile of its own, with scroll bars that take room, and with a sound output or without one. */
export async function startFirefox(withSound: boolean): Promise<Firefox> {
  const home = mkdtempSync(join(tmpdir(), "loom-firefox-"));
  const sound = withSound ? await startSound(home) : undefined;
  const browser = await puppeteer.launch({
    browser: "firefox",
    executablePath: "/usr/bin/firefox-esr",
    headless: true,
    env: { ...process.env, HOME: home, PULSE_SERVER: `unix:${socketOf(home)}`, LIBGL_ALWAYS_SOFTWARE: "1" },
    extraPrefsFirefox: { "media.autoplay.default": 0, "widget.gtk.overlay-scrollbars.enabled": false },
    defaultViewport: { width: 1280, height: 800 },
  });
  return { browser, home, sound };
}

export async function endFirefox({ browser, home, sound }: Firefox) {
  await browser.close();
  sound?.kill();
  rmSync(home, { recursive: true, force: true, maxRetries: 3 });
}

/** What comes out of the loudspeaker from now on, for some seconds: its largest sample, of full scale. */
export function heard({ home }: Firefox, seconds: number): Promise<number> {
  return new Promise((done, fail) => {
    execFile(
      "timeout",
      [
        ...["--preserve-status", "-s", "INT", String(seconds), "parec", `--server=unix:${socketOf(home)}`, "--raw"],
        ...["-d", "nobody.monitor", "--format=float32le", "--rate=48000", "--channels=2", "--latency-msec=50"],
      ],
      { encoding: "buffer", maxBuffer: 1 << 26 },
      (err, out) => {
        if (out.length === 0) return fail(err ?? new Error("Nothing could be recorded"));
        let most = 0;
        for (let i = 0; i + 4 <= out.length; i += 4) most = Math.max(most, Math.abs(out.readFloatLE(i)));
        done(most);
      },
    );
  });
}
