// Pure parts of the scripts: boxes, notes in a margin, layers of a page, forms of the plan.

import assert from "node:assert/strict";
import { describe, it } from "node:test";

import { union } from "../../src/jugum/web/static/js/desk/geometry.js";
import {
  balance,
  gutterUnder,
  outlined,
  sideOf,
  stack,
  sights,
  besideOthers,
} from "../../src/jugum/web/static/js/desk/place.js";
import { when } from "../../src/jugum/web/static/js/frame/dates.js";
import { beside, inside, LAYERS } from "../../src/jugum/web/static/js/gather/layers.js";
import {
  columnFrom,
  fieldBody,
  FieldValues,
  formFrom,
  optionFrom,
  ruleFrom,
} from "../../src/jugum/web/static/js/plan/form_values.js";

function* numbers(seed) {
  for (let now = seed; ; now = (now * 16807) % 2147483647) yield now / 2147483647;
}

describe("a date", () => {
  it("is written as the pages write it", () => {
    const now = new Date(2026, 10, 28, 16, 0);
    assert.equal(when(new Date(2026, 10, 28, 9, 5), now), "09:05");
    assert.equal(when(new Date(2026, 2, 7, 9, 5), now), "7 Mar");
    assert.equal(when(new Date(2025, 2, 7, 9, 5), now), "7 Mar 2025");
    assert.equal(when(new Date(2026, 2, 7, 9, 5), now, "day first, dots"), "07.03.2026");
    assert.equal(when(new Date(2026, 2, 7, 9, 5), now, "month first"), "03/07/2026");
  });
});

describe("a margin", () => {
  it("never lays a note over another, keeps their order, and moves none without need", () => {
    const random = numbers(7);
    const next = () => /** @type {number} */ (random.next().value);
    for (let round = 0; round < 60; round += 1) {
      const count = 1 + Math.floor(next() * 14);
      const wishes = Array.from({ length: count }, () => next() * 900).sort((a, b) => a - b);
      const heights = wishes.map(() => 40 + next() * 150);
      const tops = stack(wishes, heights);
      assert.equal(tops.length, count);
      for (let at = 1; at < count; at += 1) assert.ok(tops[at] >= tops[at - 1] + heights[at - 1]);
      if (count === 1 && wishes[0] > 10) assert.equal(tops[0], wishes[0]);
    }
  });

  it("outlines a place off its ink, and at most half way to the next word", () => {
    /** @returns {import("../../src/jugum/web/static/js/desk/geometry.js").Word} */
    const word = (x0, y0, x1, y1) => ["w", x0, y0, x1, y1, 1];
    const [own, next, below] = [word(0.4, 0.5, 0.5, 0.52), word(0.504, 0.5, 0.6, 0.52), word(0.4, 0.524, 0.5, 0.54)];
    const [left, top, right, bottom] = outlined([0.4, 0.5, 0.5, 0.52], [own, next, below], 1.4);
    assert.ok(Math.abs(right - 0.502) < 1e-9); // half way to the next word
    assert.ok(Math.abs(bottom - 0.522) < 1e-9); // half way to the next line
    assert.ok(Math.abs(top - (0.5 - 0.0072)) < 1e-9); // a third of its letters' height
    assert.ok(Math.abs(left - (0.4 - 0.0072 * 1.4)) < 1e-9); // as far to the side, in pixels
    const alone = outlined([0.1, 0.1, 0.2, 0.12], [], 1);
    assert.ok(alone[0] < 0.1 && alone[1] < 0.1 && alone[2] > 0.2 && alone[3] > 0.12);
  });

  it("lies where fewer words are in the way", () => {
    const word = (x0, x1) => ["w", x0, 0.1, x1, 0.12, 1];
    assert.equal(sideOf([0.5, 0.1, 0.6, 0.12], [word(0.1, 0.2), word(0.3, 0.4)]), "right");
    assert.equal(sideOf([0.5, 0.1, 0.6, 0.12], [word(0.7, 0.8)]), "left");
    assert.equal(sideOf([0.1, 0.1, 0.2, 0.12], []), "left");
  });

  it("gives every second note away when the other side is free", () => {
    const notes = Array.from({ length: 8 }, (_, at) => ({ side: "left", wish: 10 * at, height: 60 }));
    balance(notes);
    assert.equal(notes.filter((note) => note.side === "right").length, 4);
  });

  it("draws leaders in the white under a line", () => {
    const y = gutterUnder([0.1, 0.1, 0.2, 0.12], [["next", 0, 0.13, 0.1, 0.15, 1]], "left");
    assert.ok(y > 0.12 && y < 0.13);
  });
});

describe("what shows a value so that it can be judged", () => {
  const word = (text, x0, x1, y0 = 0.5) => [text, x0, y0, x1, y0 + 0.012, 1];
  const value = [0.4, 0.5, 0.5, 0.512];

  it("is the value with its printed name, left of it", () => {
    const words = [word("Net", 0.25, 0.28), word("pay", 0.285, 0.31), word("1,200", 0.4, 0.5), word("900", 0.7, 0.74)];
    assert.deepEqual(sights(value, words, 1.4), [[0.25, 0.5, 0.5, 0.512]]);
  });

  it("is two parts where the name is far away, and only the name that is next", () => {
    const words = [
      word("Other", 0.01, 0.04),
      word("Net", 0.1, 0.13),
      word("pay", 0.135, 0.15),
      word("1,200", 0.4, 0.5),
    ];
    assert.deepEqual(sights(value, words, 1.4), [[0.1, 0.5, 0.15, 0.512], value]);
  });

  it("reaches up to a name above where there is none beside it", () => {
    const words = [word("Net", 0.4, 0.43, 0.48), word("pay", 0.435, 0.46, 0.48), word("Hours", 0.42, 0.47, 0.3)];
    assert.deepEqual(sights(value, words, 1.4), [[0.4, 0.48, 0.5, 0.512]]);
    assert.deepEqual(sights(value, [], 1.4), [value]);
  });
});

describe("keys at candidates", () => {
  it("stand beside each other where their places are close", () => {
    assert.deepEqual(besideOthers([100, 50], []), [100, 50]);
    assert.deepEqual(besideOthers([100, 50], [[95, 52]]), [109, 50]);
    assert.deepEqual(
      besideOthers(
        [100, 50],
        [
          [109, 50],
          [95, 52],
        ],
      ),
      [123, 50],
    );
    assert.deepEqual(
      besideOthers(
        [100, 50],
        [
          [95, 70],
          [140, 50],
        ],
      ),
      [100, 50],
    );
  });
});

describe("boxes", () => {
  it("are joined", () =>
    assert.deepEqual(
      union([
        [0.2, 0.1, 0.3, 0.2],
        [0.1, 0.15, 0.25, 0.4],
      ]),
      [0.1, 0.1, 0.3, 0.4],
    ));
});

describe("layers of a page", () => {
  const words = [
    ["Paid", 0.1, 0.1, 0.15, 0.12, 0.97, "text"],
    ["in", 0.16, 0.1, 0.18, 0.12, 0.9, "text"],
    ["full", 0.9, 0.1, 0.95, 0.12, 1, "text"],
  ];
  const zone = {
    kind: "TD3",
    box: null,
    lines: ["P<NOR"],
    checks: { number: true, date: false },
    repaired: 1,
    parts: {},
  };
  const layers = { blocks: [{ box: [0, 0, 1, 1], lines: [[0, 1]] }], zones: [zone], codes: [2], cells: [], rules: [] };
  const page = { words, layers };

  it("show words with how surely they were read, and lines with their box", () => {
    assert.equal(LAYERS.words[1](page)[0].small, "97 %");
    assert.deepEqual(LAYERS.lines[1](page), [{ boxes: [[0.1, 0.1, 0.18, 0.12]], text: "Paid in" }]);
  });

  it("name the check digits that fail, and show codes beside zones", () => {
    const [first, code] = LAYERS.zones[1](page);
    assert.match(first.small, /check digits fail: date; 1 letters corrected/);
    assert.equal(code.text, "full");
  });

  it("tell signatures, lines that may be a pen's, and stamps apart", () => {
    const inked = {
      signatures: [[0.1, 0.8, 0.3, 0.84]],
      strokes: [[0.5, 0.8, 0.6, 0.82]],
      stamps: [[0.7, 0.7, 0.8, 0.8]],
    };
    assert.deepEqual(
      LAYERS.signatures[1]({ words, layers: { ...layers, ...inked } }).map(({ boxes, text }) => [boxes[0][0], text]),
      [
        [0.1, "pen strokes"],
        [0.5, "a pen's line, perhaps"],
        [0.7, "stamp"],
      ],
    );
  });

  it("show tick boxes, and words that a pen struck or ringed, neighbours as one", () => {
    const ticks = [{ box: [0.06, 0.1, 0.09, 0.12], ticked: true, ink: 0.2 }];
    const marked = { words, layers: { ...layers, ticks, struck: [0, 1], ringed: [2] } };
    assert.deepEqual(
      LAYERS.ticks[1](marked).map(({ text, small }) => [text, small]),
      [
        ["ticked: Paid in", "20 % of its inside is ink"],
        ["Paid in", "a pen struck it out"],
        ["full", "a pen drew a ring around it"],
      ],
    );
    assert.equal(LAYERS.ticks[1](marked)[1].boxes.length, 2);
  });

  it("find the words beside a tick box up to a wide gap", () => {
    assert.equal(beside(page, [0.06, 0.1, 0.09, 0.12]), "Paid in");
    assert.equal(beside(page, [0.06, 0.5, 0.09, 0.52]), "no words beside it");
    assert.equal(inside(words[0], [0, 0, 0.5, 0.5]), true);
  });
});

describe("forms of the plan", () => {
  it("read rules: an anchor with its words, two words for between, else a pattern", () => {
    assert.deepEqual(ruleFrom("right of Net pay"), { where: "right of", words: "Net pay", until: "" });
    assert.deepEqual(ruleFrom("between From … to"), { where: "between", words: "From", until: "to" });
    assert.deepEqual(ruleFrom("\\d{4}"), { pattern: "\\d{4}" });
  });

  it("read columns and options", () => {
    assert.deepEqual(columnFrom("Amount | money | This period, Sum").printed_names, ["This period", "Sum"]);
    assert.equal(columnFrom("Item").data_type, "text");
    assert.deepEqual(optionFrom("married = married or partners"), { key: "married", printed: ["married or partners"] });
    assert.deepEqual(optionFrom("Not known"), { key: "not_known", printed: ["Not known"] });
  });

  it("leave out what does not belong to the kind", () => {
    const date = fieldBody({
      ...new FieldValues(),
      data_type: "date",
      order: "month",
      pattern: "x",
      out_case: "upper",
    });
    assert.deepEqual([date.month_first, date.pattern, date.output], [true, "", {}]);
    const table = fieldBody({ ...new FieldValues(), kind: "table", data_type: "money", rules: "x" });
    assert.deepEqual([table.data_type, table.rules], ["text", []]);
  });

  it("come back from a field as they were typed", () => {
    const spec = {
      name: "Pay date",
      data_type: "date",
      printed_names: ["Paid", "Pay day"],
      month_first: false,
      rules: [{ where: "between", words: "From", until: "to" }, { pattern: "\\d+" }],
      output: { pattern: "yyyy-MM-dd" },
    };
    const form = formFrom(spec);
    assert.deepEqual([form.printed, form.order, form.rules], ["Paid\nPay day", "day", "between From … to\n\\d+"]);
    assert.deepEqual(fieldBody(form).rules[0], spec.rules[0]);
    assert.equal(fieldBody(form).output.pattern, "yyyy-MM-dd");
  });
});
