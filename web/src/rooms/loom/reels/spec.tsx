import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";

import { base, inFile, sendText, type Spec } from "../../../api/client";
import { useSpecs } from "../../../api/hooks";
import { keysOf } from "../../../api/keys";
import { Dialog } from "../../../ui/dialog";
import { tell, tellError } from "../../../ui/notices";
import { hasWords, keptWords, specFiles, specsPath, strictest } from "../../print/specwords";
import { widthOf } from "../ground/formats";

/** Chooses what is to be delivered: that lays out the output channels and ties the stems to them. */
export function SpecDialog(p: {
  production: string;
  open: boolean;
  onOpenChange: (open: boolean) => void;
  chosen: string;
  edit: (spec: string) => string;
  onChoose: (spec: string) => void;
}) {
  const specs = useSpecs(p.production);
  const [sought, setSought] = useState("");
  const queries = useQueryClient();
  const bring = async (file: File) => {
    try {
      const answer = await inFile(file.name, sendText<{ title: string }>(specsPath(p.production), "application/yaml", await file.text()));
      tell(`${answer.title} can be chosen now.`);
      void queries.invalidateQueries({ queryKey: keysOf.specs });
    } catch (error) {
      tellError(error);
    }
  };
  const found = (specs.data ?? []).filter((s) => hasWords(s, sought));
  return (
    <Dialog
      open={p.open}
      onOpenChange={p.onOpenChange}
      title="Delivery spec"
      about="Choosing one lays out the output channels and ties the stems to them. Knots you tied yourself stay where their output stays. Undo takes it back."
    >
      <input
        type="search"
        className="field mb-3 w-full"
        aria-label="Find a spec"
        placeholder="Find a spec: its receiver, 5.1, mov, M&E …"
        value={sought}
        onChange={(e) => setSought(e.target.value)}
      />
      {specs.data && found.length === 0 && <p className="text-muted">No spec has all of these words.</p>}
      <ul className="flex flex-col gap-3">
        {found.map((s) => (
          <li key={s.id} className={`rounded-lg border px-4 py-3 ${s.id === p.chosen ? "border-ink" : "border-line"}`}>
            <div className="flex items-start gap-3">
              <div className="min-w-0 grow">
                <b className="text-[15px]">{s.title}</b>
                <p className="text-[13px] text-muted">{[s.receiver, keptWords(s)].filter(Boolean).join(" · ")}</p>
              </div>
              <Link
                className="pill"
                to={p.edit(s.id)}
                title="Copy it and change it, or change one of your own, with what would be written beside it"
              >
                Change…
              </Link>
              <button
                className={s.id === p.chosen ? "pill" : "pill-act"}
                aria-label={s.id === p.chosen ? `Set up the outputs of ${s.title} again` : `Choose ${s.title}`}
                onClick={() => p.onChoose(s.id)}
              >
                {s.id === p.chosen ? "Set up its outputs again" : "Choose"}
              </button>
            </div>
            <p className="mt-1">{s.about}</p>
            <Columns spec={s} />
            <p className="tc mt-2 text-[12px] text-muted">
              {specFiles(s).join("; ")}
              {s.programme?.start && `, starts ${s.programme.start}`}
              {strictest(s, "truePeak") !== null && `, below ${strictest(s, "truePeak")} dBTP`.replace("-", "−")}
            </p>
          </li>
        ))}
      </ul>
      <div className="mt-4 flex items-center gap-3 text-[13px] text-muted">
        <label className="pill cursor-pointer hover:border-muted focus-within:outline-2 focus-within:outline-zest">
          Bring in a spec (YAML)…
          <input
            type="file"
            accept=".yaml,.yml"
            className="sr-only"
            onChange={(e) => e.target.files?.[0] && void bring(e.target.files[0]).then(() => (e.target.value = ""))}
          />
        </label>
        <a className="underline" href={`${base}/specs/schema`} target="_blank" rel="noreferrer">
          How such a file is written (JSON schema)
        </a>
      </div>
    </Dialog>
  );
}

function Columns({ spec }: { spec: Spec }) {
  let next = 1;
  return (
    <ul className="mt-2 flex flex-wrap gap-x-5 gap-y-1.5 text-[13px]">
      {spec.groups.map((g) => {
        const width = widthOf(g.layout);
        const from = next;
        next += width;
        return (
          <li key={g.id} className="flex items-center gap-1.5">
            <span className="tc text-muted">{width === 1 ? from : `${from}–${from + width - 1}`}</span>
            {g.name} {g.name.endsWith(g.layout) ? "" : g.layout}
          </li>
        );
      })}
    </ul>
  );
}
