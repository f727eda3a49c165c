// Which pages of a long paper are looked at for suggestions, and in which order.

import assert from "node:assert/strict";
import { beforeEach, describe, it } from "node:test";

import { nextPart, Suggesting } from "../../src/jugum/web/static/js/desk/suggesting.js";

const PARTS = [1, 9, 17, 25, 33, 41, 49].map((first) => [first, first + 7]);

describe("the next part", () => {
  it("is what is in view, else near the front, and never far behind", () => {
    assert.deepEqual(nextPart(PARTS, 20), [17, 24]);
    assert.deepEqual(nextPart(PARTS.slice(1), 3), [9, 16]);
    assert.deepEqual(nextPart(PARTS.slice(5), 50), [49, 56]);
    assert.equal(nextPart(PARTS.slice(5), 1), null);
  });
});

describe("looking for suggestions", () => {
  const asked = [];
  const told = [];
  let inView = 1;
  const desk = {
    inView: () => inView,
    ask: async (first) => {
      asked.push(first);
      return [];
    },
    came: () => {},
    said: () => told.at(-1) || "",
    tell: (text) => told.push(text),
  };

  beforeEach(() => {
    asked.length = told.length = 0;
    inView = 1;
  });

  it("goes over the front, and over what comes into view", async () => {
    const suggesting = new Suggesting(PARTS, desk);
    await suggesting.look();
    assert.deepEqual(asked, [1, 9, 17, 25, 33]);
    assert.equal(told[1], "Looking for suggestions: pages 9–16 of 56…");
    assert.equal(told.at(-1), "");
    inView = 50;
    await suggesting.look();
    await suggesting.look();
    assert.deepEqual(asked.slice(5), [49]);
  });

  it("leaves alone what else is said", async () => {
    await new Suggesting(PARTS, { ...desk, said: () => "Not saved yet" }).look();
    assert.deepEqual(told, []);
  });
});
