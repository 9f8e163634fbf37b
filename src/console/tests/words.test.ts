import { describe, expect, test } from "vitest";
import type { VolumeSpace } from "../src/api/client";
import { atTime, daysLeft, exactTime, length, rangeOfDays, shorten, size, spaceSentence } from "../src/words";

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

describe("lengths of time", () => {
  test.each([
    ["00:00:40.6", "41 s"],
    ["00:12:10", "12 min"],
    ["03:20:05", "3 h 20 min"],
    ["2.03:40:00", "2 days 4 h"],
    ["7.00:00:00", "7 days"],
  ])("%s is %s", (text, said) => expect(length(text)).toBe(said));
});

test("paths are shortened in their middle", () => {
  expect(shorten("/data/People/asa.lind/Documents", 21)).toBe("/data/Peop…/Documents");
  expect(shorten("/short", 21)).toBe("/short");
});

const volume: VolumeSpace = {
  machine: "herb-04",
  room: "Herbarium",
  root: "C:",
  label: "System",
  system: true,
  attached: "internal",
  sizeBytes: 480e9,
  freeBytes: 46e9,
  reserveBytes: 0,
  growth: { bytesPerDay: 2e9, lowBytesPerDay: 1.6e9, highBytesPerDay: 2.3e9, days: 60, samples: 60 },
  daysLeft: 23,
  earliestDaysLeft: 20,
  latestDaysLeft: 28.75,
};

test("a volume's space is reported in sentences", () => {
  expect(spaceSentence(volume)).toBe(
    "C: (system) has 46.0 GB of 480.0 GB free. In the last 60 days it filled up by 2.0 GB a day; so it is full in about 23 days, with 90 % certainty between 20 and 29.",
  );
  expect(spaceSentence({ ...volume, reserveBytes: 48e9 })).toBe(
    "C: (system) has 46.0 GB of 480.0 GB free, which is 2.0 GB below its reserve.",
  );
  expect(spaceSentence({ ...volume, growth: null, daysLeft: null })).toContain("too short to say");
  expect(spaceSentence({ ...volume, daysLeft: null })).toContain("hardly filled up");
  expect([daysLeft(volume), rangeOfDays({ ...volume, latestDaysLeft: null })]).toEqual(["23", "20 and never"]);
  expect([daysLeft({ ...volume, daysLeft: 0 }), daysLeft({ ...volume, daysLeft: 4e3 })]).toEqual(["reached", "years"]);
});

test("times are reported by the day", () => {
  const now = Date.parse("2026-11-24T12:00:00Z");
  expect(atTime("2026-11-24T11:30:00Z", now)).toMatch(/^today \d\d:30$/);
  expect(atTime("2026-11-23T11:30:00Z", now)).toMatch(/^yesterday \d\d:30$/);
  expect(atTime("2026-11-20T12:00:00Z", now)).toMatch(/^20 Nov \d\d:00$/);
  expect(atTime("2025-11-20T12:00:00Z", now)).toMatch(/^20 Nov 2025 \d\d:00$/);
  expect(exactTime("2026-11-24T11:30:12.1234567Z")).toMatch(/24 November 2026 at \d\d:\d\d:12 \S+/);
});
