import { chromium } from "playwright-core";

const flags = [
  "--no-sandbox",
  "--disable-gpu",
  "--disable-quic",
  "--no-first-run",
  "--disable-background-networking",
  "--disable-component-update",
  "--disable-sync",
];

/** The installed Chromium, without a window. */
export const launch = () => chromium.launch({ executablePath: "/usr/bin/chromium", args: flags });
