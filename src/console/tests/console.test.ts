import { type ChildProcess, execFileSync, spawn } from "node:child_process";
import { mkdtempSync, readdirSync, readFileSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join, resolve } from "node:path";
import { AxeBuilder } from "@axe-core/playwright";
import type { Browser, BrowserContext, Page } from "playwright-core";
import { afterAll, beforeAll, expect, test } from "vitest";
import { launch } from "./browser";

const folder = mkdtempSync(join(tmpdir(), "furlough-console-"));
const repository = resolve(import.meta.dirname, "../../..");
const furlough = join(repository, "bin/furlough");
let demo: ChildProcess;
let browser: Browser;
let context: BrowserContext;
let page: Page;
let address = "";
let token = "";
const errors: string[] = [];
const PAGES = [
  "/",
  "/machines/wet-07",
  "/machines/wet-01",
  "/errands",
  "/originals",
  "/space",
  "/machines/wet-01/space",
  "/plans",
  "/plans/3",
  "/plans/3/machines/map-01",
  "/brief",
  "/runs",
  "/runs/1",
  "/audits",
  "/audits/1",
  "/history",
  "/invite",
];

/** Starts the station, whose Wet Lab has been relocated, and waits until it stands. */
async function startDemo(): Promise<void> {
  const args = ["demo", "start", "--data", join(folder, "demo"), "--port", "0", "--speed", "8000"];
  demo = spawn(furlough, args, { stdio: ["ignore", "pipe", "inherit"] });
  let said = "";
  await new Promise<void>((done, fail) => {
    demo.stdout?.on("data", (text: Buffer) => {
      said += text;
      const at = /Console\s+(\S+)\/#token=(\S+)/.exec(said);
      if (at) [address, token] = [at[1] ?? "", at[2] ?? ""];
      if (said.includes("The console stays open")) done();
    });
    demo.on("exit", (code) => fail(new Error(`the demo ended with ${code}:\n${said}`)));
  });
}

const call = async (method: string, path: string, body?: object) => {
  const response = await fetch(`${address}/api/v1/${path}`, {
    method,
    headers: { Authorization: `Bearer ${token}`, "Content-Type": "application/json" },
    body: body && JSON.stringify(body),
  });
  return { status: response.status, body: await response.json() };
};

/** What the page would keep from people who see, hear or point otherwise. Of long tables the first rows stand for all. */
async function violations(page: Page): Promise<string[]> {
  const found = await new AxeBuilder({ page })
    .setLegacyMode(true) // The pages have no frames: nothing has to be gathered in a page of its own.
    .exclude("tbody tr:nth-child(n+40)")
    .options({ resultTypes: ["violations"] })
    .withTags(["wcag2a", "wcag2aa", "wcag21aa", "wcag22aa"])
    .analyze();
  return found.violations.map((v) => `${v.id}: ${v.nodes[0]?.html}`);
}

beforeAll(async () => {
  await startDemo();
  browser = await launch();
  context = await browser.newContext({ viewport: { width: 1280, height: 800 } });
  page = await context.newPage();
  page.setDefaultTimeout(15_000);
  page.on("console", (m) => m.type() === "error" && errors.push(`${m.text()} ${m.location().url}`));
}, 180_000);

afterAll(async () => {
  await browser?.close();
  if (demo?.exitCode === null) {
    demo.removeAllListeners("exit");
    const ended = new Promise((done) => demo.on("exit", done));
    demo.kill("SIGTERM");
    await ended;
  }
  rmSync(folder, { recursive: true, force: true });
}, 60_000);

test("without a session only the sign-in is shown, and a wrong token is refused in words", async () => {
  await page.goto(address);
  await page.getByLabel("Token").fill("flt-wrong");
  await page.getByRole("button", { name: "Sign in" }).click();
  expect(await page.getByRole("alert").textContent()).toContain("not known here");
  await page.getByLabel("Token").fill(token);
  await page.getByRole("button", { name: "Sign in" }).click();
  await page.getByRole("heading", { name: "Rooms" }).waitFor();
  errors.length = 0;
});

test("rooms show every machine with its standing, those that need attention first", async () => {
  const wet = page.getByRole("region", { name: "Wet Lab" });
  expect(await wet.getByRole("heading").textContent()).toContain("12 machines: 1 stuck, 11 settled");
  const first = wet.getByRole("row").nth(1);
  expect(await first.textContent()).toMatch(/wet-07.*stuck.*1\.5 GB free/);
  await expect.poll(() => first.getByRole("img").count()).toBe(2);
  await page.getByPlaceholder("name, room or standing").fill("herb");
  await expect.poll(() => page.getByRole("region").count()).toBe(1);
  expect(page.url()).toContain("filter=herb");
  await page.getByPlaceholder("name, room or standing").fill("");
});

test("a machine shows source, target, where the data lives, and a failure in three sentences", async () => {
  await page.getByRole("link", { name: "wet-07" }).click();
  await page.getByRole("heading", { name: "wet-07" }).waitFor();
  const sentences = await page.locator(".failure").first().locator("p").allTextContents();
  expect(sentences).toHaveLength(3);
  expect(sentences[1]).toMatch(/^Nothing has changed; the data lives at its source, C:\\Accounts/);
  expect(sentences[2]).toContain("furlough relocation retry");
  expect(await page.locator("tbody tr").first().textContent()).toContain("source");
});

test("a machine is held with a reason and released, and its errands are shown there", async () => {
  await page.goto(`${address}/machines/wet-01`);
  await page
    .getByRole("region", { name: /^Errand \d+$/ })
    .first()
    .waitFor();
  await page.getByText("Hold this machine").click();
  await page.getByLabel("Why is it held?").fill("exams <b>until</b> noon");
  await page.getByRole("button", { name: "Hold wet-01" }).click();
  await expect.poll(() => page.getByRole("main").textContent()).toContain("Held by steward: exams <b>until</b> noon");
  await page.getByRole("button", { name: "Release wet-01" }).click();
  await page.getByText("Hold this machine").waitFor();
});

test("a return asked for in the console is followed live and leaves the data at its source", async () => {
  await page.goto(`${address}/machines/wet-01`);
  page.once("dialog", (dialog) => {
    expect(dialog.message()).toContain("is copied back");
    dialog.accept();
  });
  const row = page.getByRole("row").filter({ hasText: "Music" }).filter({ hasText: "switched" }).first();
  const path = await row.locator("code").first().textContent();
  await row.getByRole("button", { name: "Return Music" }).click();
  const same = page
    .getByRole("row")
    .filter({ hasText: path ?? "" })
    .first();
  await expect.poll(() => same.textContent(), { timeout: 30_000 }).toMatch(/source.*returned/);
}, 60_000);

test("what happens elsewhere appears without reloading", async () => {
  await page.goto(`${address}/?filter=map`);
  await page.getByRole("region", { name: "Map Room" }).waitFor();
  expect(await page.getByRole("region", { name: "Map Room" }).getByRole("heading").textContent()).toContain("8 ready");
  const brief = [
    "furlough-brief: 1",
    "title: Music of the Map Room",
    "machines: {rooms: [Map Room]}",
    "volumes: {roomy: {attached: internal, system: false}}",
    "relocate: [{folders: [Music], onto: roomy, path: 'People/{account}/{folder}'}]",
  ].join("\n");
  const plan = await call("POST", "plans", { brief });
  expect((await call("POST", "runs", { plan: plan.body.number })).status).toBe(200);
  const heading = page.getByRole("region", { name: "Map Room" }).getByRole("heading");
  await expect.poll(() => heading.textContent(), { timeout: 150_000 }).toContain("1 stuck, 7 settled");
}, 180_000);

test("a plan says what it does and when, and its hazards are accepted with a reason", async () => {
  const brief = [
    "furlough-brief: 1",
    "title: Everything, onto whatever there is",
    "machines: {rooms: [Map Room, Cabin, Wet Lab]}",
    "volumes: {roomy: {system: false}}",
    "relocate: [{folders: [Videos, Documents], onto: roomy, path: 'Moved/{account}/{folder}'}]",
    "reserve: {system: 20%, others: 10%}",
  ].join("\n");
  const { number } = (await call("POST", "plans", { brief })).body;
  await page.goto(`${address}/plans`);
  await page.getByRole("link", { name: "Everything, onto whatever there is" }).click();
  await page.getByRole("heading", { name: `Plan ${number}: Everything` }).waitFor();
  const main = page.getByRole("main");
  expect(await main.textContent()).toMatch(/\d+ relocations on \d+ machines, .*Accounts are locked out for/);
  expect(await main.textContent()).toContain("to accept before it can be carried out");
  const removable = page.getByRole("region", { name: "target-on-removable-volume" });
  expect(await removable.textContent()).toContain("needs consent");
  await removable.getByLabel("Why is it acceptable?").fill("the stick is <b>screwed</b> to the desk");
  await removable.getByRole("button", { name: "Accept target-on-removable-volume for 1 machine" }).click();
  await expect
    .poll(() => removable.textContent())
    .toMatch(/Accepted by steward today \d\d:\d\d: the stick is <b>screwed<\/b>/);
  expect(await removable.getByRole("button").count()).toBe(0);

  const machines = page.getByRole("table").last().getByRole("row");
  await page.getByPlaceholder("name, room or wave").fill("map-01");
  await expect.poll(() => machines.count()).toBe(2);
  await machines.nth(1).getByRole("link").click();
  await page.getByRole("heading", { name: `map-01 in plan ${number}` }).waitFor();
  const space = page.getByRole("region", { name: "Space of D:" });
  expect(await space.getByRole("img").getAttribute("aria-label")).toMatch(/are free now; the least is .*In the end/);
  expect(await page.getByRole("button", { name: /^Accept/ }).count(), "accepted for the plan, not here").toBe(0);
  await page.goto(`${address}/plans/${number}/machines/herb-01`);
  await expect.poll(() => main.textContent()).toContain("has nothing for herb-01");
  await page.goto(`${address}/plans/999`);
  await expect.poll(() => main.textContent()).toContain("There is no plan 999");
  await page.goto(`${address}/plans`);
  await page.getByRole("link", { name: "Everything, onto whatever there is" }).waitFor();
  errors.length = 0;
});

test("a whole day in the console: brief, plan, run, a failure settled, an errand done, audit, return, report", async () => {
  await page.goto(`${address}/plans`);
  await page.getByRole("link", { name: "New brief" }).click();
  const editor = page.getByRole("textbox", { name: "Brief" });
  const write = async (text: string) => {
    await editor.click();
    await page.keyboard.press("Control+a");
    await page.keyboard.insertText(text);
  };
  const meaning = page.getByRole("region", { name: "What it matches" });
  await write("furlough-brief: 1\ntitle: Music\nmachines: {rooms: [Cabinn]}\nvolumes:\n  crew: {atached: external}\n");
  await expect.poll(() => meaning.textContent()).toContain("Line 5: ");
  expect(await page.locator(".cm-lintRange-error").count()).toBeGreaterThan(0);
  expect(await page.getByRole("button", { name: "Make a plan" }).isDisabled()).toBe(true);

  await write("furlough-brief: 1\ntitle: Music of the herbarium\nmachines:\n  ");
  await page.keyboard.type("roo");
  await page.locator(".cm-tooltip-autocomplete").getByText("rooms", { exact: true }).waitFor();
  await page.keyboard.press("Tab");
  await page.keyboard.insertText(
    "[Herbarium]\nvolumes:\n  data: {attached: internal, system: false}\nrelocate:\n  - {folders: [Pictures], accounts: [asa.lind], on: [herb-04], onto: data, path: '{account}/{folder}'}\n  - {folders: [Music], on: [herb-01], onto: data, path: '{account}/{folder}', afterwards: [confirm-by-eye]}\n  - {folders: [Music], onto: data, path: '{account}/{folder}'}\n",
  );
  await expect
    .poll(() => meaning.textContent())
    .toMatch(/Music of the herbarium matches 10 machines with \d+ holdings/);
  await page.getByRole("button", { name: "Make a plan" }).click();
  await page.getByRole("heading", { name: /^Plan \d+: Music of the herbarium/ }).waitFor();
  await page.getByRole("button", { name: /^Carry out \d+ relocations on 10 machines/ }).click();
  await page.getByRole("heading", { name: /^Run \d+: Music of the herbarium/ }).waitFor();

  const failure = page.getByRole("region", { name: "file-unreadable" });
  await failure.waitFor({ timeout: 120_000 });
  expect(await failure.textContent()).toContain("plots/2019/quadrat-77.tif cannot be read");
  const main = page.getByRole("main");
  await expect.poll(() => main.textContent(), { timeout: 120_000 }).toMatch(/It has ended\..*1 failed/);
  await failure.getByRole("button", { name: "Retry 1 relocation" }).click();
  await expect.poll(() => failure.count(), { timeout: 30_000 }).toBe(0);
  await failure.waitFor({ timeout: 120_000 });
  await failure.getByRole("textbox").fill("the disk is <i>replaced</i> next week");
  await failure.getByRole("button", { name: "Skip 1 relocation" }).click();
  await expect.poll(() => main.textContent()).toMatch(/1 skipped.*1 relocation on herb-04 was skipped/);
  const row = page.getByRole("row").filter({ hasText: "herb-01" });
  expect(await row.textContent()).toMatch(/Herbarium.*2 of 2|Herbarium.*1 of 1/);

  const run = page.url();

  await page.getByRole("link", { name: "Errands" }).click();
  const look = page.getByRole("region").filter({ hasText: "Check that nothing is missing herb-01" });
  await look.first().waitFor();
  const looks = await look.count();
  await look
    .first()
    .getByRole("button", { name: /is done$/ })
    .click();
  await expect.poll(() => look.count()).toBe(looks - 1);

  await page.getByRole("link", { name: "Audits" }).click();
  await page.getByRole("button", { name: "Make an audit" }).click();
  await page.getByRole("heading", { name: /^Audit \d+$/ }).waitFor({ timeout: 60_000 });
  expect(await main.textContent()).toMatch(/59 machines, made today \d\d:\d\d by steward/);

  await page.getByRole("link", { name: "Rooms" }).click();
  await page.getByRole("link", { name: "herb-01" }).click();
  page.once("dialog", (dialog) => dialog.accept());
  await page.getByRole("button", { name: "Return Music" }).first().click();
  await expect.poll(() => main.textContent(), { timeout: 60_000 }).toMatch(/source.*returned/);

  await page.goto(run);
  await page.getByRole("link", { name: "report" }).click();
  await expect.poll(() => page.textContent("body")).toMatch(/Music of the herbarium[\s\S]*1 returned/);
  expect(await page.textContent("body")).toContain("plots/2019/quadrat-77.tif");
  await page.goto(`${address}/history?filter=skip`);
  await expect.poll(() => main.textContent()).toMatch(/steward.*skip.*relocation \d+.*failed.*skipped/);
}, 400_000);

test("a run is paused, resumed and halted, and what cannot be undone is asked for twice", async () => {
  const brief = [
    "furlough-brief: 1",
    "title: All of the seminar lab",
    "machines: {rooms: [Seminar Lab]}",
    "volumes: {roomy: {attached: internal, system: false}}",
    "relocate: [{folders: [Pictures, Videos, Documents], onto: roomy, path: 'P/{account}/{folder}'}]",
    "waves: {first: 1 machines, everybody: the rest}",
    "approval: second-person",
  ].join("\n");
  const plan = (await call("POST", "plans", { brief })).body;
  const run = (await call("POST", "runs", { plan: plan.number })).body;
  await page.goto(`${address}/runs/${run.number}`);
  const main = page.getByRole("main");
  await page.getByRole("button", { name: `Approve run ${run.number}` }).click();
  await expect.poll(() => page.getByRole("alert").textContent()).toContain("was started by steward");
  const made = (await call("POST", "tokens", { name: "mara.ostby", level: "approver" })).body;
  const approved = await fetch(`${address}/api/v1/runs/${run.number}/approve`, {
    method: "POST",
    headers: { Authorization: `Bearer ${made.token}` },
  });
  expect([approved.status, (await approved.text()).slice(0, 300)]).toEqual([200, expect.anything()]);
  await expect.poll(() => main.textContent()).toContain("approved by mara.ostby");
  await page.getByRole("button", { name: `Pause run ${run.number}` }).click();
  await expect.poll(() => main.textContent()).toContain("It is paused");
  await page.getByRole("button", { name: `Resume run ${run.number}` }).click();
  await page.getByRole("button", { name: `Pause run ${run.number}` }).waitFor();
  page.once("dialog", (dialog) => dialog.dismiss());
  await page.getByRole("button", { name: `Halt run ${run.number}` }).click();
  expect(await main.textContent()).not.toContain("It is halted");
  page.once("dialog", (dialog) => {
    expect(dialog.message()).toContain("cannot be resumed");
    dialog.accept();
  });
  await page.getByRole("button", { name: `Halt run ${run.number}` }).click();
  await expect.poll(() => main.textContent(), { timeout: 60_000 }).toMatch(/It has ended\.|It is halted\./);
  await page.goto(`${address}/runs?filter=seminar`);
  await expect.poll(() => main.textContent()).toMatch(/All of the seminar lab/);
  errors.length = 0;
}, 180_000);

test("every hazard of the catalogue is shown with what to do", async () => {
  const catalogue = readFileSync(join(repository, "docs/hazards.md"), "utf8").matchAll(/^\| `([a-z-]+)`/gm);
  const missing = new Set([...catalogue].map((line) => line[1]));
  expect(missing.size).toBeGreaterThan(50);
  const cabins = async () => (await call("GET", "machines?room=Cabin")).body as { standing: string }[];
  await expect.poll(async () => (await cabins()).map((m) => m.standing), { timeout: 90_000 }).toContain("silent");
  for (const brief of readdirSync(join(repository, "demo")).filter((file) => file.endsWith(".yaml"))) {
    const env = { ...process.env, FURLOUGH_SERVICE: address, FURLOUGH_TOKEN: token };
    const plan = execFileSync(furlough, ["plan", "make", join(repository, "demo", brief), "--json"], {
      env,
      maxBuffer: 1 << 28,
    });
    await page.goto(`${address}/plans/${JSON.parse(plan.toString()).number}`);
    await page.getByRole("heading", { name: "Hazards" }).waitFor();
    for (const hazard of await page.getByRole("region").all())
      if (/blocks the relocation|needs consent|advice/.test((await hazard.textContent()) ?? ""))
        missing.delete((await hazard.getAttribute("aria-label")) ?? "");
  }
  // No holding of a stand-in is a whole volume of its own: that one is shown by the planning tests.
  expect([...missing]).toEqual(["source-is-volume"]);
}, 180_000);

test("no page has an accessibility violation, light or dark, wide or narrow", async () => {
  expect((await call("POST", "audits")).status).toBe(200);
  for (const path of PAGES) {
    await page.goto(address + path);
    await page.getByRole("main").getByRole("heading").first().waitFor();
    for (const colorScheme of ["light", "dark"] as const)
      for (const width of [1280, 390]) {
        await page.emulateMedia({ colorScheme });
        await page.setViewportSize({ width, height: 800 });
        expect(await violations(page), `${path} ${colorScheme} ${width}`).toEqual([]);
      }
  }
}, 600_000);

test("errands are claimed, declined with a reason and finished, and what is over is kept", async () => {
  await page.setViewportSize({ width: 390, height: 844 });
  const brief = [
    "furlough-brief: 1",
    "title: Someone has to be there",
    "machines: {names: [cabin-4]}",
    "volumes: {crew: {attached: external}}",
    "relocate:",
    "  - {folders: [Videos], onto: crew, path: 'Later/{account}/{folder}', attended: true, beforehand: [plug-in]}",
    "reserve: {system: 0%, others: 0%}",
  ].join("\n");
  const plan = (await call("POST", "plans", { brief })).body;
  for (const hazard of plan.consentsWanted)
    await call("POST", `plans/${plan.number}/consents`, { hazard, reason: "a test" });
  expect((await call("POST", "runs", { plan: plan.number })).status).toBe(200);
  await page.goto(`${address}/errands`);
  const plugIn = page.getByRole("region").filter({ hasText: "Plug in a volume cabin-4" });
  expect(await plugIn.textContent()).toContain("Attach the volume for");
  await plugIn.getByRole("button", { name: /^I will do errand/ }).click();
  await expect.poll(() => plugIn.textContent()).toContain("claimed by steward");
  expect(await plugIn.getByRole("button", { name: /^Decline/ }).isDisabled()).toBe(true);
  await plugIn.getByRole("textbox").fill("the <b>crew</b> took it along");
  await plugIn.getByRole("button", { name: /^Decline/ }).click();
  await page.getByText(/^Over: \d+ errand/).click();
  await expect
    .poll(() => page.getByRole("main").textContent())
    .toMatch(/Plug in a volume, cabin-4: declined by steward today \d\d:\d\d: the <b>crew<\/b> took it along/);
  await page.goto(`${address}/errands?filter=wet-01`);
  const look = page.getByRole("region").filter({ hasText: "Check that nothing is missing wet-01" }).first();
  await look.getByRole("button", { name: /is done$/ }).click();
  await page.getByText(/^Over: 1 errand/).waitFor();
  await page.setViewportSize({ width: 1280, height: 800 });
}, 60_000);

test("space is reported by the day on which it ends, and a machine's by what takes it", async () => {
  await page.setViewportSize({ width: 1280, height: 800 });
  await page.goto(`${address}/space?filter=herb system`);
  await page.getByRole("heading", { name: "Space" }).waitFor();
  const rows = page.getByRole("row");
  expect(await rows.count()).toBe(11);
  expect(await page.locator("main p").first().textContent()).toMatch(
    /The next is on herb-\d+: .* days it filled up by/,
  );
  await rows.nth(1).getByRole("link").click();
  await page.getByRole("heading", { name: /^Space of herb-/ }).waitFor();
  const system = page.getByRole("region", { name: "C:" });
  expect(await system.getByRole("img").first().getAttribute("aria-label")).toMatch(/is full in about \d+ days/);
  const [first, last] = [system.locator(".cell.live").first(), system.locator(".cell.free")];
  expect(await first.getAttribute("title")).toMatch(/^Pictures of [a-z.]+, \d+\.\d GB$/);
  const areas = await Promise.all([first, last].map((cell) => cell.boundingBox()));
  const sizes = (await Promise.all([first, last].map((cell) => cell.getAttribute("title")))).map((t) =>
    Number(/([\d.]+) GB$/.exec(t ?? "")?.[1]),
  );
  const [a, b] = areas.map((box) => (box?.width ?? 0) * (box?.height ?? 0));
  const drawn = (a ?? 0) / (b ?? 1) / ((sizes[0] ?? 0) / (sizes[1] ?? 1));
  expect(Math.abs(drawn - 1), "areas are as large as the data, but for the gaps between them").toBeLessThan(0.15);
});

test("the API refuses what is wrong with a code and a remedy, and a foreign page with a session", async () => {
  for (const [method, path, body, status, code] of [
    ["POST", "plans", { brief: "furlough-brief: 1\ntitel: x" }, 400, "brief-wrong"],
    ["POST", "plans", { nonsense: 1 }, 400, "bad-request"],
    ["GET", "plans/99", undefined, 404, "not-found"],
    ["POST", "relocations/99999/return", undefined, 404, "not-found"],
    ["POST", "relocations/1/retry", undefined, 409, "state-refused"],
    ["GET", "no/such/call", undefined, 404, "not-found"],
  ] as const) {
    const answer = await call(method, path, body);
    expect([answer.status, answer.body.code, path]).toEqual([status, code, path]);
    expect(answer.body.remedy).toBeTruthy();
  }
  const cookie = (await context.cookies()).map((c) => `${c.name}=${c.value}`).join("; ");
  const foreign = await fetch(`${address}/api/v1/audits`, { method: "POST", headers: { Cookie: cookie } });
  expect([foreign.status, (await foreign.json()).code]).toEqual([403, "foreign-page"]);
});

test("nothing was written to the browser's error console", () => expect(errors.join("\n")).toBe(""));

test("originals are discarded by what may be done with them, with a reason before their time", async () => {
  await page.setViewportSize({ width: 1280, height: 800 });
  await page.goto(`${address}/originals?filter=wet-01`);
  const kept = page.getByRole("region", { name: "Still kept" });
  await kept.waitFor();
  const before = await kept.getByRole("row").count();
  expect(before).toBeGreaterThan(2);
  expect(await page.getByRole("main").textContent()).toContain("none can be discarded now");
  await kept.getByRole("row").nth(1).getByRole("checkbox").check();
  const name = (await kept.getByRole("row").nth(1).locator(".quiet").textContent()) ?? "";
  await kept.getByRole("button", { name: "Discard 1 original earlier" }).click();
  const dialog = page.getByRole("dialog");
  expect(await dialog.textContent()).toContain("They cannot be brought back.");
  await dialog.getByRole("button", { name: "Keep them" }).click();
  expect((await call("GET", "originals")).body.some((o: { id: string }) => o.id === name)).toBe(true);
  await kept.getByRole("button", { name: "Discard 1 original earlier" }).click();
  const sure = dialog.getByRole("button", { name: "Discard 1 original for good" });
  expect(await sure.isDisabled()).toBe(true);
  await dialog.getByLabel("Why can they be discarded?").fill("The volume is full");
  await sure.click();
  await expect.poll(() => page.locator(".result").textContent()).toContain("the machines were asked to discard them");
  await expect.poll(() => kept.getByRole("row").count(), { timeout: 30_000 }).toBe(before - 1);
  const about = (await call("GET", `history?about=${name}`)).body as { detail: string | null }[];
  expect(about.some((h) => h.detail?.includes("before its time: The volume is full"))).toBe(true);
});

test("what was asked for is said, and the focus is never lost to nowhere", async () => {
  await page.goto(`${address}/errands?filter=herb-01`);
  await page
    .getByRole("button", { name: /^Errand \d+ is done/ })
    .first()
    .click();
  await expect.poll(() => page.locator(".result").textContent()).toMatch(/Errand \d+ is done\./);
  await expect.poll(() => page.evaluate(() => document.activeElement?.className)).toBe("result");
});

test("nothing is wider than a phone, or than a page at twice its size", async () => {
  for (const width of [390, 640]) {
    await page.setViewportSize({ width, height: 844 });
    for (const path of ["/", "/machines/herb-04", "/runs/1", "/originals", "/space"]) {
      await page.goto(address + path);
      await page.getByRole("main").getByRole("heading").first().waitFor();
      expect(await page.evaluate(() => document.documentElement.scrollWidth), `${path} at ${width}`).toBe(width);
    }
  }
  await page.goto(`${address}/machines/herb-04`);
  const drawing = page.locator(".volumes svg").first();
  await expect.poll(async () => (await drawing.boundingBox())?.width ?? 0).toBeGreaterThan(200);
  await page.setViewportSize({ width: 1280, height: 800 });
});

test("a reader sees everything and no button that is refused", async () => {
  const made = (await call("POST", "tokens", { name: "looks on", level: "reader", days: 1 })).body as { token: string };
  const reader = await (await browser.newContext()).newPage();
  await reader.goto(`${address}/#token=${made.token}`);
  await reader.getByRole("heading", { name: "Rooms" }).waitFor();
  for (const path of ["/machines/wet-01", "/errands", "/originals", "/runs/1", "/audits", "/plans/3", "/"]) {
    await reader.goto(address + path);
    await reader.getByRole("main").getByRole("heading").first().waitFor();
    expect(await reader.getByRole("button").allTextContents(), path).toEqual(["Sign out"]);
    expect(await reader.getByRole("main").getByRole("checkbox").count(), path).toBe(0);
  }

  // Its token is revoked: what was typed stays under the way to sign in again.
  await reader.getByPlaceholder("name, room or standing").fill("herb");
  const revoked = await fetch(`${address}/api/v1/tokens/looks%20on`, {
    method: "DELETE",
    headers: { Authorization: `Bearer ${token}` },
  });
  expect(revoked.ok).toBe(true);
  await reader.getByRole("dialog").waitFor({ timeout: 20_000 });
  expect(await reader.getByPlaceholder("name, room or standing").inputValue()).toBe("herb");
  await reader.getByLabel("Token").fill(token);
  await reader.getByRole("button", { name: "Sign in" }).click();
  await reader.getByRole("dialog").waitFor({ state: "detached" });
  // The service is heard again, too.
  await reader.locator(".offline").waitFor({ state: "detached" });

  // Signing out ends the session itself: the cookie opens nothing any more.
  const cookies = await reader.context().cookies();
  await reader.getByRole("button", { name: "Sign out" }).click();
  await reader.getByLabel("Token").waitFor();
  const cookie = cookies.map((c) => `${c.name}=${c.value}`).join("; ");
  expect((await fetch(`${address}/api/v1/status`, { headers: { Cookie: cookie } })).status).toBe(401);
  await reader.context().close();
});

test("a service that does not answer is said so on every page, and asked again", async () => {
  const alone = await (await browser.newContext()).newPage();
  await alone.goto(`${address}/#token=${token}`);
  await alone.getByRole("heading", { name: "Rooms" }).waitFor();
  demo.removeAllListeners("exit");
  const ended = new Promise((done) => demo.on("exit", done));
  demo.kill("SIGTERM");
  await ended;
  for (const name of ["Plans", "Runs", "Errands", "Originals", "Audits", "Space", "History"]) {
    await alone.getByRole("link", { name, exact: true }).click();
    const said = alone.getByRole("alert");
    await said.waitFor();
    expect(await said.textContent(), name).toContain("The service does not answer. Nothing was changed.");
    expect(await said.getByRole("button", { name: "Ask again" }).count(), name).toBe(1);
  }
  await alone.context().close();
}, 60_000);
