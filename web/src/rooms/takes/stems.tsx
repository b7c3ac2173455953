import { ArrowDown, ArrowUp, Plus, X } from "lucide-react";
import { useEffect, useState } from "react";

import { api, ok, type NameWord, type ProductionStem, type StemRule, type TakeKind } from "../../api/client";
import { useDo, useStems } from "../../api/hooks";
import { keysOf } from "../../api/keys";
import { Dialog } from "../../ui/dialog";
import { Small } from "../../ui/small";
import { StemTag } from "../../ui/stem";
import { kindNames } from "./board";
import { Explained } from "../../ui/explained";

/** What words can say, by how that is asked for. */
const saying = [
  ["role", "a part of the mix"],
  ["layout", "as wide as"],
  ["order", "in the order of"],
  ["language", "in the language"],
] as const;

function meaning(value: string): Pick<NameWord, "kind" | "means"> {
  const [kind, ...means] = value.split(" ");
  return { kind: kind as NameWord["kind"], means: means.join(" ") };
}

/** The stems of the production, their strands, and the rules that suggest them: all to be read and changed. */
export function StemsDialog({
  production,
  open,
  onOpenChange,
}: {
  production: string;
  open: boolean;
  onOpenChange: (open: boolean) => void;
}) {
  const kept = useStems(production);
  const [stems, setStems] = useState<ProductionStem[]>([]);
  const [rules, setRules] = useState<StemRule[]>([]);
  const [words, setWords] = useState<NameWord[]>([]);
  useEffect(() => {
    if (open && kept.data) {
      setStems(kept.data.stems);
      setRules(kept.data.rules);
      setWords(kept.data.words ?? []);
    }
  }, [open, kept.data]);
  const keep = useDo(
    () => ok(api.PUT("/productions/{production}/stems", { params: { path: { production } }, body: { stems, rules, words } })),
    [keysOf.stems(production), keysOf.takes(production)],
    () => onOpenChange(false),
  );
  const stem = (i: number, part: Partial<ProductionStem>) => setStems(stems.map((s, n) => (n === i ? { ...s, ...part } : s)));
  const rule = (i: number, part: Partial<StemRule>) => setRules(rules.map((r, n) => (n === i ? { ...r, ...part } : r)));
  const word = (i: number, part: Partial<NameWord>) => setWords(words.map((w, n) => (n === i ? { ...w, ...part } : w)));
  const move = (i: number, by: number) => {
    const next = [...rules];
    [next[i], next[i + by]] = [next[i + by]!, next[i]!];
    setRules(next);
  };
  return (
    <Dialog
      open={open}
      onOpenChange={onOpenChange}
      title="Stems, rules and words"
      about="Rules suggest a stem for each channel; what you have decided stays. A reel that is there gets a new stem when something in it is unravelled there."
      wide
    >
      <h3 className="font-bold">Stems</h3>
      <div className="mt-2 grid grid-cols-[30px_64px_150px_1fr_24px] items-center gap-2 text-[13px]">
        <span />
        <span className="text-muted">Tag</span>
        <span className="text-muted">Name</span>
        <span className="text-muted">
          <Explained word="strand">Strands</Explained>, with commas between: characters, languages
        </span>
        <span />
        {stems.map((s, i) => (
          <div key={i} className="contents">
            <StemTag stem={s.id || "?"} />
            <input
              className="field tc uppercase"
              maxLength={2}
              value={s.id}
              aria-label={`Tag of stem ${i + 1}`}
              onChange={(e) => stem(i, { id: e.target.value.toUpperCase() })}
            />
            <input
              className="field"
              maxLength={60}
              value={s.name}
              aria-label={`Name of stem ${i + 1}`}
              onChange={(e) => stem(i, { name: e.target.value })}
            />
            <input
              className="field min-w-0"
              value={s.strands.join(", ")}
              aria-label={`Strands of ${s.name}`}
              onChange={(e) =>
                stem(i, { strands: e.target.value.split(",").map((x, n, all) => (n < all.length - 1 ? x.trim() : x.trimStart())) })
              }
            />
            <Small label={`Remove stem ${s.name}`} onClick={() => setStems(stems.filter((_, n) => n !== i))}>
              <X size={15} />
            </Small>
          </div>
        ))}
      </div>
      <button className="pill mt-2" onClick={() => setStems([...stems, { id: "", name: "", labels: ["L", "R"], strands: [] }])}>
        <Plus size={14} /> A stem of your own
      </button>
      <h3 className="mt-5 font-bold">Rules</h3>
      <p className="mt-0.5 text-[13px] text-muted">The first that holds counts, from the top. What no rule is about is dialogue.</p>
      <div className="mt-2 grid grid-cols-[130px_1fr_76px_150px_76px] items-center gap-2 text-[13px]">
        <span className="text-muted">For</span>
        <span className="text-muted">whose channel's name holds any of these words</span>
        <span className="text-muted">stem</span>
        <span className="text-muted">strand</span>
        <span />
        {rules.map((r, i) => (
          <div key={i} className="contents">
            <select
              className="field"
              value={r.kind}
              aria-label={`Kind of rule ${i + 1}`}
              onChange={(e) => rule(i, { kind: e.target.value as StemRule["kind"] })}
            >
              <option value="">any take</option>
              {(Object.keys(kindNames) as TakeKind[]).map((k) => (
                <option key={k} value={k}>
                  {kindNames[k]}
                </option>
              ))}
            </select>
            <input
              className="field min-w-0"
              placeholder="any name"
              value={(r.words ?? []).join(", ")}
              aria-label={`Words of rule ${i + 1}`}
              onChange={(e) => rule(i, { words: e.target.value === "" ? [] : e.target.value.split(",").map((x) => x.trimStart()) })}
            />
            <select
              className="field"
              value={r.stem}
              aria-label={`Stem of rule ${i + 1}`}
              onChange={(e) => rule(i, { stem: e.target.value, strand: "" })}
            >
              {stems.map((s) => (
                <option key={s.id} value={s.id}>
                  {s.id}
                </option>
              ))}
            </select>
            <select
              className="field min-w-0"
              value={r.strand}
              aria-label={`Strand of rule ${i + 1}`}
              onChange={(e) => rule(i, { strand: e.target.value })}
            >
              <option value="">none</option>
              {stems
                .find((s) => s.id === r.stem)
                ?.strands.filter(Boolean)
                .map((s) => (
                  <option key={s} value={s}>
                    {s}
                  </option>
                ))}
            </select>
            <span className="flex">
              {i > 0 && (
                <Small label={`Move rule ${i + 1} up`} onClick={() => move(i, -1)}>
                  <ArrowUp size={14} />
                </Small>
              )}
              {i < rules.length - 1 && (
                <Small label={`Move rule ${i + 1} down`} onClick={() => move(i, 1)}>
                  <ArrowDown size={14} />
                </Small>
              )}
              <Small label={`Remove rule ${i + 1}`} onClick={() => setRules(rules.filter((_, n) => n !== i))}>
                <X size={14} />
              </Small>
            </span>
          </div>
        ))}
      </div>
      <button className="pill mt-2" onClick={() => setRules([{ kind: "", words: [], stem: stems[0]?.id ?? "DX", strand: "" }, ...rules])}>
        <Plus size={14} /> A rule
      </button>
      <h3 className="mt-5 font-bold">Words in names</h3>
      <p className="mt-0.5 text-[13px] text-muted">
        DX, SFX, MNE, VO, AMB, 5.1, LtRt, film, names of languages and many more are known. Teach what your house writes besides; patterns
        carry it to other productions.
      </p>
      {words.length > 0 && (
        <div className="mt-2 grid grid-cols-[1fr_200px_76px] items-center gap-2 text-[13px]">
          <span className="text-muted">Where a name has the word</span>
          <span className="text-muted">it is</span>
          <span />
          {words.map((w, i) => (
            <div key={i} className="contents">
              <input
                className="field min-w-0"
                maxLength={100}
                value={w.text}
                aria-label={`Word ${i + 1}`}
                onChange={(e) => word(i, { text: e.target.value })}
              />
              <select
                className="field"
                value={`${w.kind} ${w.means}`}
                aria-label={`What word ${i + 1} says`}
                onChange={(e) => word(i, meaning(e.target.value))}
              >
                {saying.map(([kind, title]) => (
                  <optgroup key={kind} label={title}>
                    {kept.data?.meanings
                      ?.filter((m) => m.kind === kind)
                      .map((m) => (
                        <option key={m.means} value={`${kind} ${m.means}`}>
                          {m.name}
                        </option>
                      ))}
                  </optgroup>
                ))}
              </select>
              <Small label={`Forget word ${i + 1}`} onClick={() => setWords(words.filter((_, n) => n !== i))}>
                <X size={14} />
              </Small>
            </div>
          ))}
        </div>
      )}
      <div className="mt-2 flex items-center justify-between">
        <button className="pill" onClick={() => setWords([...words, { text: "", kind: "role", means: "mix" }])}>
          <Plus size={14} /> A word
        </button>
        <button className="pill-act" disabled={keep.isPending} onClick={() => keep.mutate(undefined)}>
          Keep it all
        </button>
      </div>
    </Dialog>
  );
}
