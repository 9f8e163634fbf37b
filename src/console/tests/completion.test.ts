import { readFileSync } from "node:fs";
import { resolve } from "node:path";
import { describe, expect, test } from "vitest";
import { offersAt, pathAt } from "../src/editor/completion";

const schema = JSON.parse(
  readFileSync(resolve(import.meta.dirname, "../../core/Furlough.Planning/Briefs/brief.schema.json"), "utf8"),
);

/** The place is where the | stands. */
function at(marked: string): [string, number] {
  return [marked.replace("|", ""), marked.indexOf("|")];
}
const offered = (marked: string) => offersAt(schema, ...at(marked)).offers.map((o) => o.label);

describe("where in a brief one is", () => {
  test.each([
    ["tit|", []],
    ["machines:\n  ro|", ["machines"]],
    ["machines:\n  rooms: [x]\ntit|", []],
    ["volumes:\n  roomy:\n    att|", ["volumes", "roomy"]],
    ["relocate:\n  - fol|", ["relocate", "-"]],
    ["relocate:\n  - folders: [Music]\n    on|", ["relocate", "-"]],
    ["relocate:\n- folders: [Music]\n  on|", ["relocate", "-"]],
    ["relocate:\n  - folders: [Music]\n    onto: x\n  # a remark\n  - pa|", ["relocate", "-"]],
    ["relocate:\n  - folders:\n      - Mu|", ["relocate", "-", "folders", "-"]],
  ])("%s", (text, path) => expect(pathAt(...at(text)).path).toEqual(path));
});

describe("what is offered", () => {
  test("keys of the brief that are not there yet", () => {
    expect(offered("furlough-brief: 1\n|\ntitle: x\n")).toContain("machines");
    expect(offered("furlough-brief: 1\n|\ntitle: x\n")).not.toContain("title");
  });
  test("keys of a role, of an item and of the machines", () => {
    expect(offered("volumes:\n  roomy:\n    |")).toEqual(expect.arrayContaining(["attached", "system", "identity"]));
    expect(offered("relocate:\n  - folders: [Music]\n    |")).toEqual(
      expect.arrayContaining(["onto", "path", "method"]),
    );
    expect(offered("relocate:\n  - folders: [Music]\n    |")).not.toContain("folders");
    expect(offered("relocate:\n  - folders: [Music]\n    onto: a\n  - |")).toContain("folders");
    expect(offered("machines:\n  |")).toContain("rooms");
  });
  test("words where only some are known", () => {
    expect(offered("volumes:\n  roomy:\n    attached: |")).toEqual(expect.arrayContaining(["internal", "external"]));
    expect(offered("volumes:\n  roomy:\n    system: |")).toEqual(["true", "false"]);
    expect(offered("relocate:\n  - method: w|")).toContain("warm");
    expect(offered("relocate:\n  - folders: [Mu|")).toContain("Music");
    expect(offered("title: |")).toEqual([]);
  });
});
