// What axe finds wrong, as sentences.
import AxeBuilder from "@axe-core/playwright";
import type { Page } from "./test";

const words = async (by: AxeBuilder) =>
  (await by.analyze()).violations.map((v) => `${v.id}: ${v.nodes.map((n) => n.html.slice(0, 160)).join(" | ")}`);

/**
 * All that axe does of itself finds, and what is pressed that is neither 24 px across nor as far from what else is (WCAG 2.5.8). Rows that are made
 * lower than that to be seen all at once are let be: the same is where they are as high as usual, in the panel of what is chosen, and on keys.
 */
export const violations = async (page: Page, sizes = true) => [
  ...(await words(new AxeBuilder({ page }))),
  ...(sizes ? await words(new AxeBuilder({ page }).withRules("target-size").exclude("[data-low]")) : []),
];

/** What of colours it finds wrong. */
export const faint = (page: Page) => words(new AxeBuilder({ page }).withRules(["color-contrast", "link-in-text-block"]));
