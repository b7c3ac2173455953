// What axe looks for: all that it does of itself, and that what is pressed is 24 px across, or as far from what else is (WCAG 2.5.8).
import AxeBuilder from "@axe-core/playwright";
import type { Page } from "./test";

export const axe = (page: Page) => new AxeBuilder({ page }).options({ rules: { "target-size": { enabled: true } } });
