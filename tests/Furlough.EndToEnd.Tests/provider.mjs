// An office's OpenID provider and a browser, for tests: does what each line of its input says and answers with one line.
import { createRequire } from "node:module";
import { createServer } from "node:http";
import { createInterface } from "node:readline";
import { resolve } from "node:path";
import { pathToFileURL } from "node:url";

const console_ = resolve(process.argv[2], "src/console/package.json");
const require = createRequire(console_);
const { default: Provider } = await import(pathToFileURL(require.resolve("oidc-provider")).href);
const { chromium } = require("playwright-core");

/** Groups by person. */
const groups = new Map();
let server;
let provider;
let port;
let browser;
let page;

const flags = ["--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run", "--disable-background-networking"];

async function listen() {
  server = createServer(provider ? provider.callback() : undefined);
  await new Promise((done) => server.listen(port ?? 0, "127.0.0.1", done));
  port = server.address().port;
}

const commands = {
  /** Takes a free port; the service is told it before the provider knows the service. */
  async port() {
    await listen();
    return `http://127.0.0.1:${port}`;
  },
  async start({ service, refresh }) {
    server.close();
    provider = new Provider(`http://127.0.0.1:${port}`, {
      clients: [
        {
          client_id: "furlough",
          client_secret: "ferns and mosses and lichens",
          token_endpoint_auth_method: "client_secret_post",
          redirect_uris: [`${service}/sign-in/callback`],
          grant_types: ["authorization_code", "refresh_token", "urn:ietf:params:oauth:grant-type:device_code"],
        },
      ],
      claims: { openid: ["sub"], profile: ["preferred_username"], groups: ["groups"] },
      scopes: ["openid", "offline_access", "profile", "email", "groups"],
      pkce: { required: () => true },
      features: { deviceFlow: { enabled: true } },
      issueRefreshToken: async () => refresh !== false,
      findAccount: async (_, id) => ({
        accountId: id,
        claims: async () => ({ sub: id, preferred_username: id, groups: groups.get(id) ?? [] }),
      }),
      loadExistingGrant: async (ctx) => {
        const grant = new provider.Grant({ clientId: "furlough", accountId: ctx.oidc.session.accountId });
        grant.addOIDCScope("openid profile email groups offline_access");
        await grant.save();
        return grant;
      },
    });
    await listen();
    return "started";
  },
  async stop() {
    server.closeAllConnections();
    await new Promise((done) => server.close(done));
    return "stopped";
  },
  async again() {
    await listen();
    return "started";
  },
  groups({ person, of }) {
    groups.set(person, of);
    return "set";
  },
  /** Ends everything that was granted to a person. */
  async end({ person }) {
    for (const code of ends.get(person) ?? []) await provider.RefreshToken.revokeByGrantId(code);
    return "ended";
  },
  /** A person enters a code of a command line. */
  async enter({ code, person, declines }) {
    const found = await provider.DeviceCode.findByUserCode(code.replace(/[^A-Z0-9]/gi, "").toUpperCase(), {
      ignoreExpiration: true,
    });
    if (declines) found.error = "access_denied";
    else {
      const grant = new provider.Grant({ clientId: "furlough", accountId: person });
      grant.addOIDCScope("openid profile email groups offline_access");
      Object.assign(found, { accountId: person, grantId: await grant.save(), scope: "openid profile groups offline_access" });
      ends.set(person, [...(ends.get(person) ?? []), found.grantId]);
    }
    await found.save();
    return "entered";
  },
  /** Signs in at the console; answers with what the page shows then. */
  async signIn({ service, person }) {
    await browser?.close();
    browser = await chromium.launch({ executablePath: "/usr/bin/chromium", args: flags });
    page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
    page.setDefaultTimeout(60_000);
    await page.goto(service);
    await page.getByRole("link", { name: /^Sign in with/ }).click();
    await page.locator("input[name=login]").fill(person);
    await page.locator("input[name=password]").fill("anything");
    await page.getByRole("button").first().click();
    await page.waitForURL(`${service}/**`);
    return commands.page();
  },
  async open({ address }) {
    await page.goto(address);
    return commands.page();
  },
  async page() {
    await page.locator("main").waitFor();
    await page.waitForLoadState("networkidle");
    return await page.locator("body").innerText();
  },
  /** Signs in with a token on the page that is shown. */
  async token({ token }) {
    await page.getByLabel("Token").fill(token);
    await page.getByRole("button", { name: "Sign in" }).click();
    await page.getByRole("button", { name: "Sign out" }).waitFor();
    return commands.page();
  },
  async signOut() {
    await page.getByRole("button", { name: "Sign out" }).click();
    await page.getByLabel("Token").waitFor();
    return commands.page();
  },
  async cookies() {
    return JSON.stringify(await page.context().cookies());
  },
  async picture({ file }) {
    await page.screenshot({ path: file });
    return "taken";
  },
};
const ends = new Map();

for await (const line of createInterface({ input: process.stdin })) {
  const { what, ...more } = JSON.parse(line);
  try {
    process.stdout.write(`${JSON.stringify({ answer: await commands[what](more) })}\n`);
  } catch (error) {
    process.stdout.write(`${JSON.stringify({ error: String(error?.stack ?? error) })}\n`);
  }
}
await browser?.close();
process.exit(0);
