import { expect, it } from "vitest";

const sources = import.meta.glob("./**/*.{ts,tsx}", { query: "?raw", import: "default", eager: true }) as Record<string, string>;
const [about] = Object.values(import.meta.glob("./README.md", { query: "?raw", import: "default", eager: true }) as Record<string, string>);
const order = [...about!.matchAll(/^\| `(\w+)` \| \S/gm)].map((m) => m[1]!);

const files = Object.entries(sources).filter(([name]) => !name.includes(".test."));
/** The folder of a file of the Loom; none for those that put all together. */
const folderOf = (name: string) => /^\.\/(\w+)\//.exec(name)?.[1] ?? "";
const nameOf = (path: string) => path.replace(/\.tsx?$/, "");

/** The files of the Loom that a file imports. */
function imports(name: string, text: string): string[] {
  const here = name.split("/").slice(1, -1);
  return [...text.matchAll(/(?:from |import\()"(\.[^"]+)"/g)].flatMap(([, path]) => {
    const parts = path!.split("/");
    const up = parts.filter((p) => p === "..").length;
    if (up > here.length) return []; // out of the Loom
    return [
      ["."]
        .concat(
          here.slice(0, here.length - up),
          parts.filter((p) => p !== "." && p !== ".."),
        )
        .join("/"),
    ];
  });
}

it("has a folder for each thing, which uses those before it alone", () => {
  expect(new Set(files.map(([name]) => folderOf(name)).filter(Boolean))).toEqual(new Set(order));
  const against = files.flatMap(([name, text]) =>
    imports(name, text)
      .filter((to) => folderOf(name) !== "" && (folderOf(`${to}/`) === "" || order.indexOf(folderOf(to)) > order.indexOf(folderOf(name))))
      .map((to) => `${name} uses ${to}`),
  );
  expect(against).toEqual([]);
  expect(files.length).toBeGreaterThan(60);
});

it("has no circle", () => {
  const graph = new Map(files.map(([name, text]) => [nameOf(name), imports(name, text)]));
  const done = new Set<string>();
  const walk = (at: string, path: string[]): void => {
    if (path.includes(at)) throw new Error([...path.slice(path.indexOf(at)), at].join(" → "));
    if (done.has(at)) return;
    for (const to of graph.get(at) ?? []) walk(to, [...path, at]);
    done.add(at);
  };
  for (const name of graph.keys()) walk(name, []);
  expect(done.size).toBeGreaterThanOrEqual(files.length);
});
