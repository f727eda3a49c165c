import assert from "node:assert/strict";
import test from "node:test";

import { Dial, nearest, niceAxis } from "../../src/jugum/web/static/js/weigh/model.js";

function point(setting, amount, name, minutes, promise = "expected") {
  return {
    setting,
    thresholds: { amount, name },
    minutes_per_100_papers: minutes,
    wrong_per_1000: 100 * setting,
    wrong_per_1000_upper: 200 * setting,
    promise,
  };
}

function view(changed = {}) {
  const points = [
    point(0, 1, 1, 60, "empty"),
    point(0.01, 0.99, 1, 30, "proven"),
    point(0.05, 0.9, 0.95, 10),
    point(0.3, 0.5, 0.5, 0, "broken"),
  ];
  return {
    grid: [1, 0.99, 0.95, 0.9, 0.5],
    balances: [
      {
        key: "amount",
        name: "Amount",
        threshold: null,
        total: 20,
        thin: false,
        decisions_a_paper: 1,
        along: along(20),
      },
      {
        key: "name",
        name: "Name",
        threshold: null,
        total: 8,
        thin: true,
        decisions_a_paper: 0.4,
        along: along(8),
      },
    ],
    frontier: { points, proposed: 2, now: null, papers: 20, field_seconds: 6, ...changed },
    policy: null,
    dial: { way: "promise", error_most: 0.02, weights: {}, pinned: {}, always_held: [] },
  };
}

const along = (total) =>
  [0, 0.25, 0.5, 0.75, 1].map((share) => [share * total, share === 1 ? 1 : 0, 0.2, share, share === 1 ? 1 / total : 0]);

test("the dial begins at the proposal, or at the policy in force where that is a setting", () => {
  assert.equal(new Dial(view()).place, 2);
  const now = point(null, 0.99, 1, 30);
  assert.equal(new Dial(view({ now })).place, 1);
  assert.equal(new Dial(view({ now: point(null, 0.42, 1, 30) })).place, 2);
  assert.equal(new Dial(view({ proposed: null })).place, 0);
});

test("what follows for a field is looked up at its threshold", () => {
  const dial = new Dial(view());
  assert.deepEqual(dial.follows("amount"), {
    passing: 15,
    wrong: 0,
    bound: 0.2,
    share: 0.75,
    error: 0,
    minutes: (0.25 * 6 * 100) / 60,
  });
  dial.moveTo(99);
  assert.equal(dial.place, 3);
  assert.equal(dial.follows("amount").wrong, 1);
  assert.deepEqual(dial.order("review"), ["amount", "name"]);
});

test("a threshold set by hand stays, and a rule takes the place of the one before", () => {
  const dial = new Dial(view());
  dial.pin("amount", 0.93);
  assert.deepEqual(dial.dial.pinned, { amount: 0.95 });
  assert.equal(dial.threshold("amount"), 0.95);
  assert.equal(dial.threshold("name"), 0.95);
  assert.equal(dial.rule("amount"), "pinned");
  dial.setRule("amount", "held");
  assert.deepEqual([dial.dial.pinned, dial.dial.always_held], [{}, ["amount"]]);
  dial.setRule("amount", "10");
  assert.deepEqual([dial.dial.weights, dial.dial.always_held], [{ amount: 10 }, []]);
  dial.setRule("amount", "");
  assert.equal(dial.rule("amount"), "");
});

test("another frontier leaves the dial at the nearest setting", () => {
  const dial = new Dial(view());
  const other = view().frontier;
  other.points = [point(0, 1, 1, 60), point(0.04, 0.9, 0.9, 12), point(0.4, 0.5, 0.5, 1)];
  dial.take({ ...other, proposed: 1 });
  assert.equal(dial.place, 1);
  assert.equal(dial.nearestMinutes(2), 2);
});

test("ranges of the frontier tell how the promise stands there", () => {
  assert.deepEqual(new Dial(view()).ranges, [
    ["empty", 0, 0],
    ["proven", 1, 1],
    ["expected", 2, 2],
    ["broken", 3, 3],
  ]);
});

test("axes end at round figures", () => {
  assert.deepEqual(niceAxis(47), { top: 50, step: 10 });
  assert.deepEqual(niceAxis(0.9, 4), { top: 1, step: 0.5 });
  assert.deepEqual(niceAxis(120, 6), { top: 120, step: 20 });
  assert.equal(
    nearest([5, 1, 9], (value) => Math.abs(value - 8)),
    2,
  );
});
