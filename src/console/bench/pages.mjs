// Measures how long each page takes until it can be used, from the first byte on. Prints a table. Takes the service's address, a token and the paths.
import { chromium } from "playwright-core";

const [address, token, ...paths] = process.argv.slice(2);
const TIMES = 5;
const browser = await chromium.launch({ executablePath: "/usr/bin/chromium", args: ["--no-sandbox", "--disable-gpu"] });
const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
await page.goto(`${address}/#token=${token}`);
await page.getByRole("main").getByRole("heading").first().waitFor();
console.log("| page | usable, ms: median | longest |");
console.log("|---|---:|---:|");
for (const path of paths) {
  const usable = [];
  for (let i = 0; i < TIMES; i++) {
    await page.goto(address + path, { waitUntil: "commit" });
    await page.getByRole("main").getByRole("heading").first().waitFor();
    // What waits for an answer says that it loads.
    await page.waitForFunction(() => !/Looking…/.test(document.querySelector("main")?.textContent ?? "Looking…"));
    usable.push(
      await page.evaluate(() => performance.now() - performance.getEntriesByType("navigation")[0].responseStart),
    );
  }
  usable.sort((a, b) => a - b);
  console.log(`| ${path} | ${usable[TIMES >> 1].toFixed(0)} | ${usable[TIMES - 1].toFixed(0)} |`);
}
await browser.close();
