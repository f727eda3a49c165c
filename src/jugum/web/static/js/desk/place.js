// Where notes and leaders go. Plain functions of numbers, so that they can be tested alone.

/** @typedef {import("./geometry.js").Box} Box */
/** @typedef {import("./geometry.js").Word} Word */

const GAP = 7;

// Tops for notes of one margin: each as near as can be to its wish, in order, none over another. Notes that would
// collide are pushed apart evenly (pool adjacent violators), so that a crowd stays centred on its values.
export function stack(wishes, heights, top = 8) {
  const pools = [];
  wishes.forEach((wish, index) => {
    pools.push({ from: index, to: index, height: heights[index] + GAP, sum: wish, count: 1 });
    for (
      let last = pools.length - 1;
      last > 0 && pools[last - 1].at + pools[last - 1].height > start(pools[last]);
      last -= 1
    ) {
      const lower = pools.pop();
      const upper = pools[last - 1];
      upper.sum += lower.sum - lower.count * upper.height;
      upper.count += lower.count;
      upper.height += lower.height;
      upper.to = lower.to;
      upper.at = start(upper);
    }
    pools[pools.length - 1].at = start(pools[pools.length - 1]);
  });
  function start(pool) {
    return Math.max(top, pool.sum / pool.count);
  }
  const tops = [];
  let floor = top;
  for (const pool of pools) {
    let y = Math.max(floor, pool.at);
    for (let index = pool.from; index <= pool.to; index += 1) {
      tops.push(y);
      y += heights[index] + GAP;
    }
    floor = y;
  }
  return tops;
}

// The side of the page a value's note stands on: where fewer words lie between it and the edge; ties by its middle.
export function sideOf(box, words) {
  const level = words.filter((word) => Math.min(word[4], box[3]) - Math.max(word[2], box[1]) > 0.4 * (box[3] - box[1]));
  const left = level.filter((word) => word[3] <= box[0] + 0.002).length;
  const right = level.filter((word) => word[1] >= box[2] - 0.002).length;
  if (left !== right) return left < right ? "left" : "right";
  return (box[0] + box[2]) / 2 < 0.5 ? "left" : "right";
}

// Sides for all notes ([{side, wish, height}], sorted by wish): where a side is so crowded that its notes would drift
// far from their values and the other is free, every second one changes over.
export function balance(notes) {
  for (const side of ["left", "right"]) {
    const mine = notes.filter((note) => note.side === side);
    const other = notes.filter((note) => note.side !== side);
    const needed = mine.reduce((sum, note) => sum + note.height + GAP, 0);
    const taken = other.reduce((sum, note) => sum + note.height + GAP, 0);
    const extent = mine.length ? mine.at(-1).wish - mine[0].wish + mine[0].height : 0;
    if (needed > extent + 60 && taken < needed / 2) {
      mine.forEach((note, index) => {
        if (index % 2) note.side = side === "left" ? "right" : "left";
      });
      break;
    }
  }
}

// The height (page fraction) in the white under a value's line at which a leader reaches it without crossing words.
export function gutterUnder(box, words, side) {
  const [from, to] = side === "left" ? [0, box[2]] : [box[0], 1];
  const inWay = words.filter((word) => word[3] > from && word[1] < to);
  const level = inWay.filter((word) => Math.min(word[4], box[3]) - Math.max(word[2], box[1]) > 0.3 * (box[3] - box[1]));
  const bottom = Math.max(box[3], ...level.map((word) => word[4]));
  const below = inWay.filter((word) => word[2] >= bottom - 0.001).map((word) => word[2]);
  return bottom + Math.min(0.0055, Math.max(0.0004, (Math.min(1, ...below) - bottom) / 2));
}

const OFF_INK = 0.3; // line heights that an outline stands off its words, where there is room
const LINE_HEIGHT = 0.016; // of the page: a usual line, where a place has no words of its own
const STROKE = 0.0012; // of the page's height: what a stroke and its blur take up

/**
 * The outline around a place: off the ink of its own words, in proportion to their height, and at most half way to the
 * words beside it.
 * @param {Box} box
 * @param {Word[]} words of the page
 * @param {number} ratio the page's height by its width
 * @returns {Box}
 */
export function outlined(box, words, ratio) {
  const [left, top, right, bottom] = box;
  /** @param {Word} word */
  const inside = (word) => {
    const [x, y] = [(word[1] + word[3]) / 2, (word[2] + word[4]) / 2];
    return x > left && x < right && y > top && y < bottom;
  };
  const own = words.filter(inside);
  const heights = own.map((word) => word[4] - word[2]).sort((a, b) => a - b);
  const line = heights.length ? heights[Math.floor(heights.length / 2)] : Math.min(LINE_HEIGHT, bottom - top);
  const away = OFF_INK * line + STROKE;
  const room = [away * ratio, away, away * ratio, away];
  for (const word of words) {
    if (inside(word)) continue;
    const [, x0, y0, x1, y1] = word;
    const gaps = [
      y1 > top && y0 < bottom ? left - x1 : -1,
      x1 > left && x0 < right ? top - y1 : -1,
      y1 > top && y0 < bottom ? x0 - right : -1,
      x1 > left && x0 < right ? y0 - bottom : -1,
    ];
    gaps.forEach((gap, side) => {
      if (gap >= 0) room[side] = Math.min(room[side], gap / 2);
    });
  }
  return [left - room[0], top - room[1], right + room[2], bottom + room[3]];
}

const NAME_FAR = 0.24; // of the page's width: a printed name further left is shown beside the value, what lies between is not
const NAME_ABOVE = 0.05; // of the page's height in which a printed name stands above its value
const NEIGHBOURS = 1.6; // line heights between words of one name

/**
 * Which parts of a page show a value so that it can be judged: the value, with what is printed left of it on its line,
 * or else above it. Two parts where the name is far away. All of one line are equally high.
 * @param {Box} box
 * @param {Word[]} words of the page
 * @param {number} ratio the page's height by its width
 * @returns {Box[]}
 */
export function sights(box, words, ratio) {
  const [x0, y0, x1, y1] = box;
  const high = y1 - y0;
  /** @param {Word} word */
  const level = (word) => Math.min(word[4], y1) - Math.max(word[2], y0) > 0.5 * Math.min(high, word[4] - word[2]);
  const apart = NEIGHBOURS * high * ratio;
  const left = words.filter((word) => level(word) && word[3] <= x0 + 0.002).sort((one, other) => other[3] - one[3]);
  const name = group(left, apart);
  if (name && x0 - name[2] <= NAME_FAR)
    return [[Math.min(name[0], x0), Math.min(name[1], y0), x1, Math.max(name[3], y1)]];
  if (name)
    return [
      [name[0], y0, name[2], y1],
      [x0, y0, x1, y1],
    ];
  const above = words.filter(
    (word) => word[4] <= y0 + 0.3 * high && y0 - word[4] <= NAME_ABOVE && word[3] > x0 && word[1] < x1,
  );
  const nearest = Math.max(...above.map((word) => word[4]));
  const line = above.filter((word) => nearest - word[4] < 0.5 * (word[4] - word[2]));
  if (!line.length) return [box];
  const sides = [0, 1, 2].map((side) => line.map((word) => Number(word[side + 1])));
  return [[Math.min(x0, ...sides[0]), Math.min(y0, ...sides[1]), Math.max(x1, ...sides[2]), y1]];
}

/** The words that belong to the first of some that are sorted from right to left. @returns {Box | null} */
function group(words, apart) {
  if (!words.length) return null;
  const [, , , right] = words[0];
  let [, x0, y0, , y1] = words[0];
  for (const word of words.slice(1)) {
    if (x0 - word[3] > apart) break;
    [x0, y0, y1] = [word[1], Math.min(y0, word[2]), Math.max(y1, word[4])];
  }
  return [x0, y0, right, y1];
}

export const TAG = [13, 14]; // pixels of a key at a candidate's place

/**
 * Where a key stands so that it covers none of the others: as near to its wish as can be, to the right of it.
 * @param {[number, number]} wish in pixels
 * @param {[number, number][]} others
 * @returns {[number, number]}
 */
export function besideOthers([x, y], others) {
  const near = others.filter((other) => Math.abs(other[1] - y) < TAG[1] + 1).sort((one, other) => one[0] - other[0]);
  let left = x;
  for (const [other] of near) if (Math.abs(other - left) < TAG[0] + 1) left = other + TAG[0] + 1;
  return [left, y];
}
