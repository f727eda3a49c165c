// Boxes on a page, in page fractions: [left, top, right, bottom]. Plain functions of numbers.

/** @typedef {[number, number, number, number]} Box */
/**
 * A word of a page: its text, its box, and how surely it was read.
 * @typedef {[string, number, number, number, number, number]} Word
 */

/**
 * The smallest box around all of them.
 * @param {Box[]} boxes at least one
 * @returns {Box}
 */
export function union(boxes) {
  return [
    Math.min(...boxes.map((box) => box[0])),
    Math.min(...boxes.map((box) => box[1])),
    Math.max(...boxes.map((box) => box[2])),
    Math.max(...boxes.map((box) => box[3])),
  ];
}

/**
 * @param {Word} word
 * @returns {Box}
 */
export function boxOfWord(word) {
  return [word[1], word[2], word[3], word[4]];
}
