import { type ChildProcess, spawn } from "node:child_process";
import { mkdtempSync, readFileSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join, resolve } from "node:path";
import { expect, test } from "vitest";
import { launch } from "./browser";

const furlough = join(resolve(import.meta.dirname, "../../.."), "bin/furlough");
const BRIEF = `furlough-brief: 1
title: Field Bay 1, free the system volumes
machines: {rooms: ["Field Bay 1"]}
volumes:
  roomy: {attached: internal, system: false}
relocate:
  - folders: [Documents, Pictures, Music, Videos, Downloads]
    accounts: all-but-fallback
    onto: roomy
    path: People/{account}/{folder}
`;
/** The machines before these are of rooms where something is wrong on purpose. */
const OTHERS = 59;
const BAYS = 24;

const running: ChildProcess[] = [];

function start(args: string[]): ChildProcess {
  const child = spawn(furlough, args, { stdio: ["ignore", "pipe", "inherit"] });
  running.push(child);
  return child;
}

const said = (child: ChildProcess, words: RegExp) =>
  new Promise<RegExpExecArray>((done, fail) => {
    let all = "";
    child.stdout?.on("data", (text: Buffer) => {
      all += text;
      const at = words.exec(all);
      if (at) done(at);
    });
    child.on("exit", (code) => fail(new Error(`ended with ${code}:\n${all}`)));
  });

async function end(child: ChildProcess): Promise<void> {
  if (child.exitCode !== null) return;
  child.removeAllListeners("exit");
  const ended = new Promise((done) => child.on("exit", done));
  child.kill("SIGTERM");
  await ended;
}

test("from an empty service to 24 machines with five folders each switched takes at most 15 clicks and one brief", async () => {
  const folder = mkdtempSync(join(tmpdir(), "furlough-first-"));
  const browser = await launch();
  try {
    const service = start(["service", "start", "--data", join(folder, "service"), "--port", "0"]);
    const address = (await said(service, /listening on (\S+)/))[1] ?? "";
    const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
    page.setDefaultTimeout(60_000);
    let clicks = 0;
    const click = async (role: "button" | "link", name: string | RegExp) => {
      clicks++;
      await page
        .getByRole(role, { name, exact: typeof name === "string" })
        .first()
        .click();
    };

    const token = readFileSync(join(folder, "service/steward-token"), "utf8").trim();
    await page.goto(address);
    const steps = page.getByRole("heading", { name: "Three steps to the first machine" });
    await page.getByLabel("Token").fill(token);
    await click("button", "Sign in");
    await steps.waitFor();
    await page.getByText("The commands are shown here when the invite is made.").waitFor();
    // One of them is switched off: what it needs stays on the page.
    await page.getByLabel("Machines").fill(`${OTHERS + BAYS + 1}`);
    await click("button", "Make an invite");
    const code = ((await page.locator("pre").first().textContent()) ?? "").trim();
    const machines = ["--machines", `${OTHERS + BAYS}`, "--run", "-", "--speed", "60000"];
    const station = start([
      ...["demo", "start", "--service", address, "--token", token, "--code", code, "--data", join(folder, "station")],
      ...machines,
    ]);
    await page.getByRole("heading", { name: "By hand" }).waitFor();
    await page.getByText("Waiting for the first machine.").waitFor();
    await said(station, /are enrolled and surveyed/);
    // The page turns into the usual one, with the commands above it for the machine that has not come.
    await page.getByText(`${OTHERS + BAYS} of ${OTHERS + BAYS + 1} machines have arrived.`).waitFor();
    await page
      .getByRole("link", { name: /^herb-/ })
      .first()
      .waitFor();
    await page.getByRole("heading", { name: "By hand" }).waitFor();
    await click("button", "Close these steps");
    expect(await steps.count()).toBe(0);

    await click("link", "Plans");
    await click("link", "Write a brief.");
    const editor = page.getByLabel("Brief", { exact: true });
    await editor.fill(BRIEF);
    await page.getByText("matches 24 machines").waitFor();
    await click("button", "Make a plan");
    await click("button", /^Carry out/);
    await page.getByText("It has ended.").waitFor({ timeout: 120_000 });
    const done = await page.locator("main").textContent();
    expect(done).toContain("on 24 machines");
    expect(done).not.toMatch(/\d+ (failed|refused|backed-out)/);
    expect(clicks).toBeLessThanOrEqual(15);
    console.log(`from an empty service to 24 machines: ${clicks} clicks and one brief`);
  } finally {
    await browser.close();
    for (const child of running.toReversed()) await end(child);
    rmSync(folder, { recursive: true, force: true });
  }
}, 300_000);
