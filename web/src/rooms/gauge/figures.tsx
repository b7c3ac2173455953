import { decimal } from "../../ui/figures";
import { Measuring } from "../../ui/measuring";
import { judged, type Measured } from "./judge";
import { Sign } from "./sign";

/** The figures, large and judged, and what else was found on the channels. */
export function Figures({ row, share }: { row: Measured; share: number }) {
  const w = row.whole;
  if (!w)
    return (
      <div className="p-4">
        <Measuring share={share} />
      </div>
    );
  const high = Math.max(-6, ...w.channels.map((c) => c.truePeakDBTP ?? -60));
  return (
    <div>
      <h2 className="px-4 pb-2 pt-4 font-bold">{row.name}</h2>
      <dl>
        {judged(row).map((j) => (
          <div key={j.what} className="flex items-center gap-2 border-t border-line px-4 py-2">
            <dt className="flex min-w-0 grow items-center gap-2 leading-tight">
              <Sign of={j.verdict} />
              <span>
                {j.what}
                <span className="block text-[12px] text-muted">{j.asked}</span>
                {j.before !== undefined && <span className="block text-[12px] text-muted">was {decimal(j.before, j.places)}</span>}
              </span>
            </dt>
            <dd className={`tc whitespace-nowrap text-[22px] font-semibold leading-none ${j.verdict === "off" ? "text-wrong" : ""}`}>
              {decimal(j.value, j.places)}
              <span className="ml-1 text-[11px] font-normal text-muted">{j.unit}</span>
            </dd>
          </div>
        ))}
      </dl>
      {(w.unmeasured ?? 0) > 0 && (
        <p className="mx-4 mt-2 text-[13px] text-wrong">{w.unmeasured} samples are no numbers, so nothing that is measured here holds.</p>
      )}
      <table className="mx-4 mt-3 w-[calc(100%-2rem)] text-[12px]">
        <caption className="pb-1 text-left text-[13px] font-bold">Channels</caption>
        <thead className="text-muted">
          <tr>
            <th className="text-left font-normal">Channel</th>
            <td />
            <th className="text-right font-normal">dBTP</th>
            <th className="text-right font-normal">RMS</th>
            <th className="text-right font-normal">PPM</th>
          </tr>
        </thead>
        <tbody className="tc">
          {w.channels.map((c, i) => {
            const over = row.limit?.truePeak !== undefined && (c.truePeakDBTP ?? -200) > row.limit.truePeak + 0.005;
            const share = Math.max(0, Math.min(1, ((c.truePeakDBTP ?? -60) + 60) / (high + 60)));
            return (
              <tr key={c.index} className="border-t border-line">
                <td className="py-1">{c.label === "M" && w.channels.length > 1 ? c.index : c.label}</td>
                <td className="w-16 px-2">
                  <span className="block h-1.5 rounded-full bg-band">
                    <span
                      className="block h-1.5 rounded-full"
                      style={{
                        width: `${share * 100}%`,
                        background: over ? "repeating-linear-gradient(45deg, var(--wrong) 0 2px, var(--paper) 2px 4px)" : "var(--ink)",
                      }}
                    />
                  </span>
                </td>
                <td className={`text-right ${over ? "text-wrong" : ""}`}>{decimal(c.truePeakDBTP)}</td>
                <td className="text-right">{decimal(c.rmsDBFS)}</td>
                <td className="text-right">{decimal(w.details[i]?.ppm)}</td>
              </tr>
            );
          })}
        </tbody>
      </table>
      <Odd row={row} />
      {w.pairs.length > 0 && (
        <section className="mx-4 mt-3 text-[13px]" aria-label="Pairs">
          <h3 className="font-bold">Pairs</h3>
          {w.pairs.map((x) => (
            <p key={x.left} className="flex justify-between border-t border-line py-1">
              <span className="text-muted">
                {x.left} {x.right}: correlation, balance
              </span>
              <span className="tc">
                {decimal(x.correlation, 2)},{" "}
                {x.balanceDB === null
                  ? "–"
                  : `${decimal(Math.abs(x.balanceDB))} dB ${Math.abs(x.balanceDB) < 0.05 ? "" : x.balanceDB > 0 ? "left" : "right"}`}
              </span>
            </p>
          ))}
        </section>
      )}
      {w.folded && (
        <section className="mx-4 mt-3 text-[13px]" aria-label="Folded down">
          <h3 className="font-bold">Folded down, its loudness changes by</h3>
          {w.channels.length > 2 && <Lost what="in stereo" by={w.folded.stereo} />}
          <Lost what="in mono, played by both sides" by={w.folded.mono} />
        </section>
      )}
      {w.spread.length > 0 && <Spread row={row} />}
    </div>
  );
}

function Lost({ what, by }: { what: string; by: number | null }) {
  return (
    <p className="flex justify-between border-t border-line py-1">
      <span className="text-muted">{what}</span>
      <span className={`tc ${by !== null && by > -3 ? "" : "text-wrong"}`}>{by === null ? "nothing is left" : `${decimal(by)} LU`}</span>
    </p>
  );
}

/** What should not be on a channel. */
function Odd({ row }: { row: Measured }) {
  const w = row.whole!;
  const list = w.details.flatMap((d, i) => {
    const name = w.channels[i]!.label === "M" && w.channels.length > 1 ? `channel ${i + 1}` : w.channels[i]!.label;
    return [
      Math.abs(d.dc) > 0.001 ? `${name} has direct current of ${decimal(20 * Math.log10(Math.abs(d.dc)))} dBFS` : "",
      d.clipped > 0 ? `${name} is clipped in ${d.clipped} ${d.clipped === 1 ? "place" : "places"}` : "",
    ].filter(Boolean);
  });
  if (list.length === 0) return null;
  return (
    <ul className="mx-4 mt-2 text-[13px] text-wrong">
      {list.map((x) => (
        <li key={x}>{x}</li>
      ))}
    </ul>
  );
}

/** How much of the time each loudness takes. */
function Spread({ row }: { row: Measured }) {
  const list = row.whole!.spread;
  const low = Math.min(...list.map((x) => x.lufs));
  const high = Math.max(...list.map((x) => x.lufs)) + 1;
  const most = Math.max(...list.map((x) => x.share));
  const wide = 228;
  const step = wide / Math.max(1, high - low);
  return (
    <figure className="mx-4 mb-4 mt-3">
      <figcaption className="pb-1 text-[13px] font-bold">How loud for how long</figcaption>
      <svg width={wide} height={52} role="img" aria-label={`Short-term loudness lies between ${low} and ${high} LUFS`}>
        {list.map((x) => (
          <rect
            key={x.lufs}
            x={(x.lufs - low) * step}
            y={38 - (x.share / most) * 36}
            width={Math.max(1, step - 1)}
            height={(x.share / most) * 36}
            fill="var(--ink)"
          >
            <title>{`${x.lufs} LUFS: ${decimal(x.share * 100)} % of the time`}</title>
          </rect>
        ))}
        <text x={0} y={50} className="tc" fontSize={11} fill="var(--muted)">
          {decimal(low, 0)}
        </text>
        <text x={wide} y={50} textAnchor="end" className="tc" fontSize={11} fill="var(--muted)">
          {decimal(high, 0)} LUFS
        </text>
      </svg>
    </figure>
  );
}
