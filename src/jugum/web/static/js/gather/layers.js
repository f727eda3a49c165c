// What each layer of a page shows: things with their places and texts. Plain functions of a page as the server gives
// it.

import { boxOfWord, union } from "../desk/geometry.js";

/** @typedef {import("../desk/geometry.js").Box} Box */
/**
 * A thing of a layer. `link`: two boxes that belong together; `table`: shown as a grid; `parts`: named parts of a zone.
 * @typedef {object} Thing
 * @property {Box[]} boxes
 * @property {string} [text]
 * @property {string} [small]
 * @property {boolean} [link]
 * @property {boolean} [rule]
 * @property {any} [table]
 * @property {Record<string, string>} [parts]
 */

export const percent = (share) => `${(share * 100).toFixed(share > 0.995 || share < 0.1 ? 1 : 0)} %`;

const textOf = (page, indices) => indices.map((index) => page.words[index][0]).join(" ");

function words(page) {
  return page.words.map((word) => {
    const [text, , , , , sure, kind] = word;
    return { boxes: [boxOfWord(word)], text, small: kind === "text" ? percent(sure) : kind };
  });
}

function lines(page) {
  return page.layers.blocks.flatMap((block) =>
    block.lines.map((line) => ({
      boxes: [union(line.map((index) => boxOfWord(page.words[index])))],
      text: textOf(page, line),
    })),
  );
}

function blocks(page) {
  return page.layers.blocks.map((block, at) => ({
    boxes: [block.box],
    text: block.lines.map((line) => textOf(page, line)).join("\n"),
    small: `${at + 1}.`,
  }));
}

function pairs(page) {
  return page.layers.pairs.map(({ label_box, value_box, value, label }) => ({
    boxes: [label_box, value_box],
    link: true,
    text: value,
    small: label,
  }));
}

function tables(page) {
  return page.layers.tables.map((table) => ({
    boxes: [table.box, ...table.cells.map((cell) => cell.box)],
    table,
    small: `${table.rows} rows, ${table.columns} columns, ${table.ruled ? "ruled" : "without rules"}`,
  }));
}

function rules(page) {
  const cells = page.layers.cells.map((cell, at) => {
    const within = page.words.filter((word) => inside(word, cell)).map((word) => word[0]);
    return { boxes: [cell], text: within.join(" ") || "empty", small: `cell ${at + 1}` };
  });
  const found = page.layers.rules.map(({ box, level }) => ({
    boxes: [box],
    text: level ? "horizontal line" : "vertical line",
    rule: true,
  }));
  return [...cells, ...found];
}

function ticks(page) {
  const boxes = page.layers.ticks.map(({ box, ticked, ink }) => ({
    boxes: [box],
    text: `${ticked ? "ticked" : "empty"}: ${beside(page, box)}`,
    small: `${percent(ink)} of its inside is ink`,
  }));
  return [
    ...boxes,
    ...penned(page, page.layers.struck, "a pen struck it out"),
    ...penned(page, page.layers.ringed, "a pen drew a ring around it"),
  ];
}

/** Words that a pen marked, those that follow each other as one. */
function penned(page, indices, small) {
  const runs = [];
  for (const index of indices) {
    if (runs.length && runs.at(-1).at(-1) === index - 1) runs.at(-1).push(index);
    else runs.push([index]);
  }
  return runs.map((run) => ({
    boxes: run.map((index) => boxOfWord(page.words[index])),
    text: textOf(page, run),
    small,
  }));
}

function signatures(page) {
  const things = (boxes, text, small) => boxes.map((box) => ({ boxes: [box], text, small }));
  return [
    ...things(page.layers.signatures, "pen strokes", "no printed word explains them"),
    ...things(page.layers.strokes, "a pen's line, perhaps", "counts where papers of the layout are signed"),
    ...things(page.layers.stamps, "stamp", "a closed ring of ink, or a frame of ink that stands askew"),
  ];
}

function zones(page) {
  const found = page.layers.zones.map((zone) => {
    const failing = Object.keys(zone.checks).filter((name) => !zone.checks[name]);
    const checks = failing.length ? `check digits fail: ${failing.join(", ")}` : "all check digits agree";
    return {
      boxes: zone.box ? [zone.box] : [],
      text: zone.lines.join("\n"),
      small: `${zone.kind}; ${checks}; ${zone.repaired} letters corrected`,
      parts: zone.parts,
    };
  });
  const codes = page.layers.codes.map((index) => ({
    boxes: [boxOfWord(page.words[index])],
    text: page.words[index][0],
    small: "bar or QR code",
  }));
  return [...found, ...codes];
}

/** Each layer's name on the screen, and its things. @type {Record<string, [string, (page: any) => Thing[]]>} */
export const LAYERS = {
  words: ["Words", words],
  lines: ["Lines", lines],
  blocks: ["Blocks", blocks],
  pairs: ["Pairs", pairs],
  tables: ["Tables", tables],
  rules: ["Rules, cells", rules],
  ticks: ["Ticks, pen marks", ticks],
  signatures: ["Signatures, stamps", signatures],
  zones: ["Zones, codes", zones],
};

export function inside(word, [x0, y0, x1, y1]) {
  const [x, y] = [(word[1] + word[3]) / 2, (word[2] + word[4]) / 2];
  return x >= x0 && x <= x1 && y >= y0 && y <= y1;
}

/** The words to the right of a tick box, up to a wide gap. */
export function beside(page, [, y0, x1, y1]) {
  const level = (word) => (word[2] + word[4]) / 2;
  const near = page.words.filter(
    (word) => level(word) > y0 - 0.004 && level(word) < y1 + 0.004 && word[1] > x1 - 0.004,
  );
  const found = [];
  let reached = x1;
  for (const word of near.sort((a, b) => a[1] - b[1])) {
    if (word[1] - reached > 0.04) break;
    found.push(word[0]);
    reached = word[3];
  }
  return found.join(" ") || "no words beside it";
}
