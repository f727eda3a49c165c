// What is typed and not sent yet is kept by name until it is sent or given up.

import assert from "node:assert/strict";
import { describe, it } from "node:test";

import { draftOf, dropDraft, keepDraft } from "../../src/jugum/web/static/js/frame/drafts.js";

describe("a draft", () => {
  const kept = new Map();
  const storage = {
    getItem: (name) => kept.get(name) ?? null,
    setItem: (name, value) => kept.set(name, value),
    removeItem: (name) => kept.delete(name),
  };

  it("is there until it is dropped, and apart from others", () => {
    keepDraft("field of type 1", { name: "Net pay" }, storage);
    keepDraft("field of type 2", { name: "Total" }, storage);
    assert.deepEqual(draftOf("field of type 1", storage), { name: "Net pay" });
    dropDraft("field of type 1", storage);
    assert.equal(draftOf("field of type 1", storage), null);
    assert.deepEqual(draftOf("field of type 2", storage), { name: "Total" });
  });
});
