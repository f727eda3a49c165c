// What a reviewer answered, over papers.

import assert from "node:assert/strict";
import { beforeEach, describe, it } from "node:test";

import { Trail } from "../../src/jugum/web/static/js/desk/trail.js";

const kept = new Map();
const storage = {
  getItem: (name) => kept.get(name) ?? null,
  setItem: (name, value) => kept.set(name, value),
  removeItem: (name) => kept.delete(name),
};
const step = (key) => /** @type {any} */ ([{ key }, { key }]);

beforeEach(() => kept.clear());

describe("the trail", () => {
  it("keeps the steps of each paper apart and knows which was answered last", () => {
    const trail = new Trail(storage);
    trail.keep("1", [step("a"), step("b")]);
    trail.keep("2", [step("c")]);
    assert.deepEqual(trail.steps("1"), [step("a"), step("b")]);
    assert.equal(trail.before("2"), "1");
    assert.equal(trail.before("3"), "2");
    trail.keep("2", []);
    assert.equal(trail.before("3"), "1");
    assert.equal(new Trail(storage).before("1"), null);
  });

  it("asks once for a step to be undone", () => {
    const trail = new Trail(storage);
    trail.ask("1");
    assert.equal(trail.asked("2"), false);
    assert.deepEqual([trail.asked("1"), trail.asked("1")], [true, false]);
  });

  it("forgets the oldest steps of very many", () => {
    const trail = new Trail(storage);
    for (let number = 0; number < 100; number += 1) trail.keep(String(number), [step("a")]);
    assert.deepEqual([trail.read().length, trail.steps("0").length, trail.steps("99").length], [80, 0, 1]);
  });
});
