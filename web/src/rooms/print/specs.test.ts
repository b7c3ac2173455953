import type { RJSFSchema } from "@rjsf/utils";
import { readFileSync } from "node:fs";
import { describe, expect, it } from "vitest";
import { parse } from "yaml";

import type { ListedSpec, Plan, Spec } from "../../api/client";
import { root } from "../../testroot";
import { formSchema, groupsOf, pruned, specCheck } from "./speccheck";
import { aboutTime, hasWords, keptWords, plannedWords, specFiles, strictest, sumsInWords } from "./specwords";

const core = `${root}/core/contract`;
const schema = JSON.parse(readFileSync(`${core}/schema.json`, "utf8")) as RJSFSchema;
const spec = (id: string) => parse(readFileSync(`${core}/specs/${id}.yaml`, "utf8")) as Record<string, unknown>;

describe("a spec in fields", () => {
  const form = formSchema(schema);
  it("is right where the schema says so, and wrong where it does not, with the field", () => {
    for (const id of ["film-order-monos", "mix-and-monos-in-a-movie", "dubbing", "dialogue-strands", "adm-master"]) {
      expect(specCheck.validateFormData(spec(id), schema).errors).toEqual([]);
      expect(specCheck.validateFormData(spec(id), form).errors).toEqual([]); // the form's own shape holds the same
    }
    const wrong = spec("dubbing");
    (wrong.groups as Record<string, unknown>[])[1]!.layout = "round";
    const { errors } = specCheck.validateFormData(wrong, schema);
    expect(errors.map((e) => e.property)).toEqual([".groups[1].layout"]);
    expect(specCheck.isValid(schema, wrong, schema)).toBe(false);
  });
  it("offers what feeds a group as a choice of one", () => {
    const from = ((form.properties!.groups as RJSFSchema).items as RJSFSchema).properties!.from as RJSFSchema;
    expect(from.oneOf!.map((o) => Object.keys((o as RJSFSchema).properties!)[0])).toEqual([
      "stems",
      "mix",
      "stem",
      "strand",
      "track",
      "fold",
      "silence",
      "each",
    ]);
    expect((schema.properties!.groups as RJSFSchema).items).not.toHaveProperty("properties.from.oneOf"); // the schema itself stays
  });
  it("offers the groups that there are wherever one is named", () => {
    const kit = spec("promo-kit");
    expect(groupsOf(kit)).toEqual(["full-mix", "minus", "dialogue", "narration", "music", "effects"]);
    const offered = formSchema(schema, groupsOf(kit));
    const of = (x: RJSFSchema) => ((x.items as RJSFSchema).properties!.of as RJSFSchema).items as RJSFSchema;
    expect(of(offered.properties!.limits as RJSFSchema).enum).toContain("minus");
    expect(of(offered.properties!.files as RJSFSchema).enum).toEqual(groupsOf(kit));
    expect(of(schema.properties!.limits as RJSFSchema).enum).toBeUndefined(); // the schema itself stays
    for (const id of ["film-order-monos", "streaming", "mix-and-monos-in-a-movie"])
      expect(specCheck.validateFormData(spec(id), formSchema(schema, groupsOf(spec(id)))).errors, id).toEqual([]);
    expect(groupsOf(null)).toEqual([]);
    expect(groupsOf({ groups: [{}, { id: 3 }, null] })).toEqual([]);
  });
  it("leaves out what was left empty, and keeps false and 0", () => {
    expect(pruned({ a: "", b: {}, c: [], d: [{ e: "" }, { f: 0 }], g: false, h: { i: { j: null } } })).toEqual({ d: [{ f: 0 }], g: false });
  });
});

describe("a list of specs", () => {
  const dubbing = { ...spec("dubbing"), kept: "inProduction", version: 3 } as unknown as ListedSpec;
  it("is searched by all words, wherever they stand", () => {
    for (const sought of ["", "  ", "dub", "MXF wave", "picture 96", "5.1 m&e", "version 3", "this production"])
      expect(hasWords(dubbing, sought), sought).toBe(true);
    for (const sought of ["flac", "mxf flac", "all productions"]) expect(hasWords(dubbing, sought), sought).toBe(false);
  });
  it("says whose each is", () => {
    expect(keptWords({ kept: "shipped" })).toBe("");
    expect(keptWords({ kept: "forAll", version: 2 })).toBe("yours, in all productions, version 2");
  });
  it("says times roundly", () => {
    expect([0.2, 7, 49, 51, 61, 3600].map(aboutTime)).toEqual(["5 s", "10 s", "50 s", "1 min", "2 min", "60 min"]);
  });
});

describe("what a spec writes, in words", () => {
  it("is said once each", () => {
    expect(specFiles(spec("dubbing") as unknown as Spec)).toEqual(["MXF with the picture, 24 bit", "WAVE, 96 kHz, 24 bit"]);
    expect(specFiles(spec("film-order-monos") as unknown as Spec)).toEqual(["WAVE, a file for each channel, 24 bit", "WAVE, 24 bit"]);
  });
  it("has the strictest limit, also one of a profile", () => {
    expect(strictest({ limits: [{ truePeak: -1 }, { profile: "a85" }] } as Spec, "truePeak")).toBe(-2);
    expect(strictest({ limits: [] } as unknown as Spec, "ppmMax")).toBeNull();
  });
  it("says of a planned file what it is", () => {
    const file = {
      container: "mp4",
      codec: "alac",
      picture: true,
      channels: Array(8).fill({}),
      streams: [{}, {}],
      rate: 48000,
      depth: 24,
      bytes: 2.5e9,
    } as unknown as Plan["files"][number];
    expect(plannedWords(file)).toBe("MP4 (ALAC), with the picture, 8 channels in 2 streams, 48 kHz, 24 bit, 2.5 GB");
  });
});

describe("what must add up", () => {
  const channel = (group: string, name: string, label: string) => ({ index: 1, output: `${group}/${label}`, group, label, name });
  const set = (group: string, name: string, ...labels: string[]) => labels.map((l) => channel(group, `${name} ${l}`, l));
  const files = [
    { channels: [...set("mix", "Full mix", "L", "R"), ...set("dx", "Dialogue", "L", "R"), ...set("mx", "Music", "L", "R")] },
    { channels: [channel("mono", "Mono", "M"), ...set("copy", "Copy", "L", "R")] },
  ];
  const part = (id: string) => ({ id, gains: [[1]] });
  it("is said by the names of groups", () => {
    const sums = [
      { whole: "mix", parts: [part("dx"), part("mx")] },
      { whole: "mono", parts: [part("mix")] },
      { whole: "copy", parts: [part("mix")] },
    ];
    expect(sumsInWords({ files, sums })).toEqual([
      "Dialogue + Music add up to Full mix",
      "Mono is the fold-down of Full mix",
      "Copy is the same as Full mix",
    ]);
    expect(sumsInWords({ files })).toEqual([]);
  });
});
