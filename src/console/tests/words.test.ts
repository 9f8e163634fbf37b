import { describe, expect, test } from "vitest";
import { ago, shorten, size } from "../src/words";

describe("sizes", () => {
  test.each([
    [0, "0 B"],
    [4_900, "4.9 kB"],
    [10_000_000, "10.0 MB"],
    [350_000_000, "0.3 GB"],
    [1_560_000_000, "1.6 GB"],
    [4_000_000_000_000, "4000.0 GB"],
  ])("%d bytes are %s", (bytes, text) => expect(size(bytes)).toBe(text));
});

test("paths are shortened in their middle", () => {
  expect(shorten("/data/People/asa.lind/Documents", 21)).toBe("/data/Peop…/Documents");
  expect(shorten("/short", 21)).toBe("/short");
});

test("times are relative", () => {
  const now = Date.parse("2026-11-24T12:00:00Z");
  expect(ago("2026-11-24T11:59:30Z", now)).toBe("just now");
  expect(ago("2026-11-24T11:30:00Z", now)).toBe("30 minutes ago");
  expect(ago("2026-11-20T12:00:00Z", now)).toBe("4 days ago");
  expect(ago(null, now)).toBe("never");
});
