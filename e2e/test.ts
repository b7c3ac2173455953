// What tests are made with: a page, of which the server is asked only once it has all that was edited there. What is on the screen may be a few
// milliseconds ahead of it.
import { test as plain } from "@playwright/test";

export { type Download, expect, type Locator, type Page } from "@playwright/test";

export const test = plain.extend({
  page: async ({ page }, use) => {
    const { request } = page;
    const settled = async () => {
      if (!page.isClosed() && page.url().startsWith("http"))
        await page.waitForFunction(() => !document.querySelector("[data-waits]:not([data-waits='0'])"));
    };
    const [get, post] = [request.get.bind(request), request.post.bind(request)];
    request.get = async (...about) => {
      await settled();
      return get(...about);
    };
    request.post = async (...about) => {
      await settled();
      return post(...about);
    };
    await use(page);
  },
});
