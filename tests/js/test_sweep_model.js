// A sweep as data: screens, the cursor, what is accepted together.

import assert from "node:assert/strict";
import { describe, it } from "node:test";

import { screensOf, stripOf, SweepModel } from "../../src/jugum/web/static/js/review/sweep_model.js";

const group = (alike, ...papers) => ({ alike, said: "", papers });
const groups = [group("same value", 1, 2, 3, 4, 5), group("same layout", 6), group("doubtful", 7, 8)];
const shape = (screens) =>
  screens.map((lines) =>
    lines.map((line) => ("paper" in line ? line.paper : "blank" in line ? " " : line.goesOn ? "…" : "#")),
  );

describe("screens", () => {
  it("name each group, and once more where it goes on", () => {
    assert.deepEqual(shape(screensOf(groups, 4)), [
      ["#", 1, 2, 3],
      ["…", 4, 5],
      ["#", 6, "#", 7],
      ["…", 8],
    ]);
    assert.deepEqual(shape(screensOf(groups, 40)), [["#", 1, 2, 3, 4, 5, "#", 6, "#", 7, 8]]);
    assert.deepEqual(screensOf([], 40), []);
    const columns = screensOf([group("same value", 1, 2), group("doubtful", 3)], 8, 4);
    assert.deepEqual(shape(columns), [["#", 1, 2, " ", "#", 3]], "no group is named at the foot of a column");
  });
});

describe("the cursor", () => {
  it("goes to the next open row, on another screen where this one is done", () => {
    const model = new SweepModel(groups, 4);
    for (const paper of [1, 2]) {
      assert.equal(model.at, paper);
      model.answer(paper);
      model.next();
    }
    model.states.set(3, "left");
    assert.equal(model.next(), true);
    assert.deepEqual([model.screen, model.at], [1, 4]);
    for (const paper of [4, 5, 6, 7, 8]) model.answer(paper);
    assert.equal(model.next(), false); // what was left is not asked for again
    assert.equal(model.count("sent"), 7);
    assert.equal(model.takeBack(), 8);
    assert.deepEqual([model.screen, model.at, model.isOpen(8)], [3, 8, true]);
  });

  it("stays on its paper when the window changes", () => {
    const model = new SweepModel(groups, 4);
    model.goTo(7);
    model.lay(40);
    assert.deepEqual([model.screens.length, model.screen, model.at], [1, 0, 7]);
    assert.equal(model.move(1), true);
    assert.equal(model.move(1), false);
    assert.equal(model.turn(1), false);
  });

  it("comes back to what stands before it", () => {
    const model = new SweepModel(groups, 40);
    model.goTo(8);
    model.answer(8);
    assert.equal(model.next(), true);
    assert.equal(model.at, 1);
  });
});

describe("a screen that is accepted", () => {
  it("leaves out what is doubtful, empty, answered or left", () => {
    const model = new SweepModel(groups, 40);
    model.answer(1);
    model.states.set(2, "left");
    assert.deepEqual(
      model.together((paper) => paper !== 3),
      [4, 5, 6],
    );
  });
});

describe("a strip", () => {
  it("shows the place with what is printed before it, inside the page", () => {
    const [left, top, right, bottom] = stripOf([0.3, 0.5, 0.4, 0.51]);
    assert.ok(left < 0.2 && right > 0.5 && top < 0.5 && bottom > 0.51);
    assert.deepEqual(stripOf([0, 0, 1, 1]), [0, 0, 1, 1]);
  });
});
