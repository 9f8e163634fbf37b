// Takes a picture of one console page: ADDRESS TOKEN NAME light|dark PATH.
import { createRequire } from "node:module";
import { realpathSync } from "node:fs";

const [address, token, name, scheme, path] = process.argv.slice(2);
const { chromium } = createRequire(realpathSync(new URL("../src/console/package.json", import.meta.url)))("playwright-core");
const browser = await chromium.launch({ executablePath: "/usr/bin/chromium", args: ["--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run"] });
const page = await (await browser.newContext({ viewport: { width: 1280, height: 800 }, colorScheme: scheme })).newPage();
await page.goto(`${address}/#token=${token}`);
await page.waitForSelector("header.top");
if (path !== "/") await page.goto(address + path);
await page.waitForSelector("main h1");
await page.waitForTimeout(1500);
await page.screenshot({ path: `docs/screenshots/${name}.png` });
await browser.close();
