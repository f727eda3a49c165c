// The paper on the desk: what is open, what is sent, undoing; without a page or a server.

import assert from "node:assert/strict";
import { describe, it } from "node:test";

import {
  joined,
  letterFields,
  Paper,
  valueOfWords,
  lettersBetween,
  partsOfWord,
} from "../../src/jugum/web/static/js/desk/model.js";

const BOX = [0.1, 0.1, 0.2, 0.12];
const value = (text, more = {}) => ({ text, normal: text, page: 1, box: BOX, ...more });

function field(key, more = {}) {
  const shape = { kind: "value", columns: [], options: [] };
  const empty = { values: [], rows: [], others: [], suggestion: [], suggested_rows: [], threshold: 0.9 };
  return { key, name: key, data_type: "text", many: false, shape, decided: false, absent: false, ...empty, ...more };
}

function labelling(...fields) {
  return new Paper({ fields, others: [], state: "to label", name: "a.pdf", left: 2 }, "label");
}

function reviewing(...fields) {
  return new Paper({ fields, others: [], state: "held", name: "a.pdf", left: 0 }, "review");
}

const TABLE_FIELD = { shape: { kind: "table", columns: [["item", "Item", "text"]], options: [] } };
const TABLE = {
  kind: "table",
  columns: [
    ["item", "Item", "text"],
    ["sum", "Sum", "money"],
  ],
  options: [],
};

describe("what is open", () => {
  it("goes round to the next open field, and to none when all are decided", () => {
    const paper = labelling(field("a"), field("b", { decided: true }), field("c"));
    assert.equal(paper.nextOpen("a"), "c");
    assert.equal(paper.nextOpen("c"), "a");
    paper.setValues(paper.field("a"), [value("x")]);
    paper.setValues(paper.field("c"), [], { absent: true });
    assert.equal(paper.nextOpen("a"), null);
    assert.equal(paper.title(), "Every field is marked, 2 more: a.pdf");
  });

  it("is a held field on the reviewing desk", () => {
    const paper = reviewing(field("a", { hold: "missing" }), field("b"));
    assert.equal(paper.title(), "a.pdf: 1 field waits");
    paper.setValues(paper.field("a"), [value("x")]);
    assert.equal(paper.open, 0);
  });

  it("leaves suggestions standing until something is decided", () => {
    const paper = labelling(field("a", { suggestion: [value("ghost")], passes: true }));
    assert.deepEqual(paper.standing(paper.field("a")), { values: [value("ghost")], ghost: true });
    assert.equal(paper.suggested().passing.length, 1);
    paper.setValues(paper.field("a"), [value("mine")]);
    assert.equal(paper.standing(paper.field("a")).values[0].text, "mine");
    assert.equal(paper.suggested().all.length, 0);
  });

  it("takes late suggestions only where nothing is decided", () => {
    const paper = labelling(field("a"), field("b", { decided: true, values: [value("kept")] }));
    const late = { suggestion: [value("late")], others: [], threshold: 0.8, suggested_rows: [], passes: true };
    paper.suggest([
      { key: "a", ...late },
      { key: "b", ...late },
    ]);
    assert.equal(paper.field("a").suggestion[0].text, "late");
    assert.equal(paper.field("b").suggestion.length, 0);
  });

  it("takes what more speaks for, but never under the eyes of who looks at another", () => {
    const paper = labelling(field("a"), field("b"));
    const found = (key, text, weight) => ({ ...field(key), suggestion: [value(text)], weight });
    paper.suggest([found("a", "front", 0.4), found("b", "front", 0.4)]);
    paper.suggest([found("a", "behind", 2.9), found("b", "behind", 2.9)], "a");
    paper.suggest([found("b", "far behind", 1.2)]);
    assert.equal(paper.field("a").suggestion[0].text, "front");
    assert.equal(paper.field("b").suggestion[0].text, "behind");
  });

  it("joins a table's rows of several parts of a paper", () => {
    const paper = labelling(field("goods", TABLE_FIELD));
    const part = (...pages) => ({
      ...field("goods"),
      suggestion: [value(`${pages.length} rows`, { page: pages[0] })],
      suggested_rows: pages.map((page) => [value(`rope ${page}`, { page }), null]),
    });
    paper.suggest([part(8, 9)]);
    paper.suggest([part(9, 10)]);
    paper.suggest([part(2)]);
    const goods = paper.field("goods");
    assert.deepEqual(
      goods.suggested_rows.map((row) => row[0].page),
      [2, 8, 9, 10],
    );
    assert.equal(goods.suggestion[0].text, "4 rows");
    assert.equal(goods.suggestion[0].page, 2);
  });
});

describe("what is held", () => {
  it("is held anew by a check, and let go by another, but not while an answer is on its way", () => {
    const paper = reviewing(field("a", { hold: "fails a check" }), field("b"), field("c"));
    const failing = { reason: "fails a check", detail: "sum", blocking: ["sum_right"], advisory: false };
    const anew = paper.hold({ b: failing, c: failing }, new Set(["c"]));
    assert.deepEqual(
      anew.map((one) => one.key),
      ["b"],
    );
    assert.equal(paper.field("a").hold, null);
    assert.deepEqual([paper.field("b").detail, paper.field("b").blocking], ["sum", ["sum_right"]]);
    assert.equal(paper.field("c").hold, undefined);
  });
});

describe("what is sent", () => {
  it("is words, or a box where there are none, with further places", () => {
    const paper = labelling(field("a"));
    const body = paper.valuesBody([
      value("x", { words: [3, 4], spots: [{ page: 2, words: [0] }] }),
      value("y", { more_places: [[2, BOX]] }),
    ]);
    assert.deepEqual(body.values[0], {
      text: "x",
      page: 1,
      words: [3, 4],
      box: null,
      more_places: [{ page: 2, words: [0] }],
    });
    assert.deepEqual(body.values[1].more_places, [{ page: 2, box: BOX }]);
    assert.equal(body.method, "marked");
  });

  it("has no method in review", () => {
    assert.equal("method" in reviewing(field("a")).valuesBody([value("x")]), false);
  });

  it("is a table's cells by their columns, empty ones too", () => {
    const paper = labelling(field("t", { shape: TABLE }));
    const { rows } = paper.rowsBody(paper.field("t"), [[value("ink"), null]], "typed");
    assert.deepEqual(rows, [{ item: { text: "ink", page: 1, box: BOX }, sum: { text: "", page: null, box: null } }]);
  });

  it("says how long it took, at most two minutes, and whether a suggestion was not taken", () => {
    const paper = labelling(field("a", { suggestion: [value("ghost")] }));
    const before = paper.snapshot(paper.field("a"));
    assert.deepEqual(paper.timing(paper.field("a"), before, "typed", 500.123), { seconds: 120, corrected: true });
    assert.deepEqual(paper.timing(paper.field("a"), before, "agreed", 1.239), { seconds: 1.24, corrected: false });
    assert.deepEqual(reviewing(field("a")).timing(field("a"), before, "", 3), {});
  });
});

describe("tables", () => {
  it("stand for as many rows as they have, where the first page's cells stand", () => {
    const paper = labelling(field("t", { shape: TABLE }));
    const table = paper.field("t");
    const later = value("2", { page: 2, box: [0.5, 0.5, 0.6, 0.6] });
    paper.setRows(table, [
      [value("ink"), value("1", { box: [0.3, 0.1, 0.4, 0.2] })],
      [later, null],
    ]);
    assert.deepEqual(
      [table.values[0].text, table.values[0].page, table.values[0].box],
      ["2 rows", 1, [0.1, 0.1, 0.4, 0.2]],
    );
    paper.setRows(table, []);
    assert.deepEqual([table.decided, table.absent, table.values], [true, true, []]);
  });
});

describe("news from the server", () => {
  const news = (revision, text) => ({ revision, fields: [field("a", { values: [value(text)] })], others: [] });

  it("that is older than what is known is no news", () => {
    const paper = new Paper(news(7, "seven"), "review");
    paper.data.revision = 8; // an answer was saved while the news was under way
    assert.equal(paper.accept(news(7, "late")), false);
    assert.deepEqual([paper.data.revision, paper.field("a").values[0].text], [8, "seven"]);
    assert.equal(paper.accept(news(9, "nine")), true);
    assert.equal(paper.field("a").values[0].text, "nine");
  });

  it("leaves fields alone whose answers are not sent yet", () => {
    const paper = new Paper(news(7, "read"), "review");
    paper.setValues(paper.field("a"), [value("mine")]);
    paper.accept(news(8, "theirs"), new Set(["a"]));
    assert.equal(paper.field("a").values[0].text, "mine");
  });
});

describe("undo", () => {
  it("goes back and forth, and says what to send each time", () => {
    const paper = labelling(field("a"));
    const one = paper.field("a");
    const before = paper.snapshot(one);
    paper.setValues(one, [value("x")], { method: "typed" });
    paper.remember(one, before);
    assert.deepEqual(paper.undo(), { key: "a", body: { absent: false, values: [], method: "marked" } });
    assert.equal(one.decided, false);
    assert.equal(paper.undo(), null);
    assert.equal(paper.redo().body.values[0].text, "x");
    assert.equal(one.method, "typed");
    assert.equal(paper.redo(), null);
  });

  it("forgets what was undone when something new is done", () => {
    const paper = labelling(field("a"));
    const one = paper.field("a");
    paper.remember(one, paper.snapshot(one));
    paper.undo();
    paper.remember(one, paper.snapshot(one));
    assert.equal(paper.redo(), null);
  });

  it("in review takes an answer back to what was held, and sends an earlier answer again", () => {
    const paper = reviewing(field("a", { hold: "low confidence", detail: "60 %", values: [value("read")] }));
    const one = paper.field("a");
    for (const text of ["first", "second"]) {
      const before = paper.snapshot(one);
      paper.setValues(one, [value(text)]);
      paper.remember(one, before);
    }
    assert.equal(paper.undo().body.values[0].text, "first");
    assert.equal(one.hold, null);
    assert.deepEqual(paper.undo(), { key: "a", body: null });
    assert.deepEqual([one.hold, one.values[0].text], ["low confidence", "read"]);
    assert.equal(paper.redo().body.values[0].text, "first");
  });

  it("of a field that the plan no longer has does nothing", () => {
    const paper = labelling(field("a"));
    paper.remember(paper.field("a"), paper.snapshot(paper.field("a")));
    paper.accept({ fields: [], others: [] });
    assert.equal(paper.undo(), null);
  });

  it("sends a table's rows again", () => {
    const paper = labelling(field("t", { shape: TABLE, decided: true, rows: [[value("ink"), null]] }));
    const table = paper.field("t");
    const before = paper.snapshot(table);
    paper.setRows(table, []);
    paper.remember(table, before);
    assert.equal(paper.undo().body.rows[0].item.text, "ink");
  });
});

describe("words", () => {
  const pages = {
    1: [
      ["Harbour", 0.1, 0.1, 0.2, 0.12, 1],
      ["dues", 0.21, 0.1, 0.25, 0.12, 1],
    ],
    2: [["paid", 0.1, 0.2, 0.2, 0.22, 1]],
  };

  it("make a value over pages", () => {
    const made = valueOfWords(
      [
        { page: 1, words: [0, 1] },
        { page: 2, words: [0] },
      ],
      (page) => pages[page],
    );
    assert.deepEqual([made.text, made.box], ["Harbour dues paid", [0.1, 0.1, 0.25, 0.12]]);
    assert.deepEqual(made.more_places, [[2, [0.1, 0.2, 0.2, 0.22]]]);
    assert.deepEqual(made.spots, [{ page: 2, words: [0] }]);
  });

  it("make a part of a word", () => {
    const made = valueOfWords([{ page: 1, words: [0], text: "Harb" }], (page) => pages[page]);
    assert.deepEqual([made.text, made.part], ["Harb", true]);
  });

  it("that stand apart are joined, each with its place", () => {
    const added = valueOfWords([{ page: 2, words: [0] }], (page) => pages[page]);
    const whole = joined(value("dues"), added);
    assert.equal(whole.text, "dues paid");
    assert.deepEqual(whole.more_places, [[2, [0.1, 0.2, 0.2, 0.22]]]);
    assert.deepEqual(whole.spots, [{ page: 2, words: [0] }]);
  });

  it("lose a lead of letters only before digits", () => {
    assert.deepEqual(partsOfWord("No.4711"), ["4711"]);
    assert.deepEqual(partsOfWord("#12"), ["12"]);
    for (const text of ["A4711", "No. 4711 b", "Nr.x", "4711"]) assert.deepEqual(partsOfWord(text), []);
  });

  it("that are two dates offer each of them", () => {
    assert.deepEqual(partsOfWord("01/02/2026-28/02/2026"), ["01/02/2026", "28/02/2026"]);
    assert.deepEqual(partsOfWord("1.2.26–28.2.26"), ["1.2.26", "28.2.26"]);
    for (const text of ["2026-02-28", "12-15", "01/02/2026"]) assert.deepEqual(partsOfWord(text), []);
  });

  it("are parted by a sweep at the mark near its ends", () => {
    const text = "01/02/2026-28/02/2026";
    assert.equal(lettersBetween(text, 0.03, 0.44), "01/02/2026");
    assert.equal(lettersBetween(text, 0.53, 1.2), "28/02/2026");
    assert.equal(lettersBetween("ABCDEFGHIJ", 0.31, 0.58), "DEF");
  });
});

describe("letters", () => {
  it("are of the field's name where one is free, never one of the desk's own, and never twice", () => {
    const fields = [..."amount amount amount egg xx".split(" "), ...Array(50).fill("n")].map((name) => ({ name }));
    letterFields(fields);
    const letters = fields.map((one) => one.letter).filter(Boolean);
    assert.deepEqual(letters.slice(0, 3), ["a", "m", "o"]);
    assert.equal(new Set(letters).size, letters.length);
    assert.ok(!letters.some((letter) => "egjknx".includes(letter)));
  });
});
