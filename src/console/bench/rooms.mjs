// Measures the page of rooms as someone uses it: how long until it can be used, and how long it stands still while it is scrolled and filtered.
// Prints the cells of a table's row. Takes the service's address and a token.
import { chromium } from "playwright-core";

const [address, token] = process.argv.slice(2);
const browser = await chromium.launch({ executablePath: "/usr/bin/chromium", args: ["--no-sandbox", "--disable-gpu"] });
const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
await page.goto(`${address}/#token=${token}`);
await page.getByRole("table").first().waitFor({ timeout: 60_000 });
await page.waitForLoadState("networkidle");

/** The longest time between two frames while something is done, in milliseconds. */
async function longestStill(act) {
  await page.evaluate(() => {
    window.still = { longest: 0, goesOn: true };
    let before = performance.now();
    const frame = (now) => {
      window.still.longest = Math.max(window.still.longest, now - before);
      before = now;
      if (window.still.goesOn) requestAnimationFrame(frame);
    };
    requestAnimationFrame(frame);
  });
  await act();
  await page.waitForTimeout(500);
  return page.evaluate(() => {
    window.still.goesOn = false;
    return window.still.longest;
  });
}

const usable = [];
for (let i = 0; i < 5; i++) {
  await page.reload({ waitUntil: "commit" });
  await page.getByRole("table").first().waitFor();
  usable.push(await page.evaluate(() => performance.now() - performance.getEntriesByType("navigation")[0].responseStart));
}
await page.waitForLoadState("networkidle");
await page.mouse.move(640, 500);
const scrolled = await longestStill(async () => {
  for (let i = 0; i < 60; i++) {
    await page.mouse.wheel(0, 1750);
    await page.waitForTimeout(100);
  }
});
const leapt = await longestStill(() => page.evaluate(() => window.scrollTo(0, document.body.scrollHeight * 0.7)));
await page.evaluate(() => window.scrollTo(0, 0));
await page.waitForTimeout(500);
const typed = "bay-00420";
const filtered = await longestStill(() => page.getByRole("searchbox").pressSequentially(typed, { delay: 60 }));
const shown = await page.locator("tbody tr").count();
const ms = (value) => value.toFixed(0);
console.log(`${ms(usable.sort((a, b) => a - b)[2])} | ${ms(scrolled)} | ${ms(leapt)} | ${ms(filtered)} (${shown} shown)`);
await browser.close();
