// A sweep as data: screens of rows, which of them are open, where the cursor is. What is drawn is in sweep.js.

/**
 * @typedef {{alike: string, said: string, papers: number[]}} Group
 * @typedef {{head: string, group: Group, count: number, goesOn: boolean}} Head
 * @typedef {{paper: number, doubtful: boolean}} RowLine
 * @typedef {Head | RowLine | {blank: true}} Line
 * @typedef {"open" | "sent" | "left" | "gone"} State sent: answered; left: skipped for now; gone: somebody else has it
 */

const DOUBTFUL = ["doubtful", "nothing found", "to be said unseen"]; // looked at one by one

/**
 * Lines of a sweep, a screen at a time; a group that goes on on another screen is named there again.
 * @param {Group[]} groups
 * @param {number} capacity lines of a screen
 * @param {number} lines of a column of it: no group is named at the foot of one
 * @returns {Line[][]}
 */
export function screensOf(groups, capacity, lines = capacity) {
  /** @type {Line[][]} */
  const screens = [];
  /** @type {Line[]} */
  let screen = [];
  /** @param {number} needed */
  const room = (needed) => {
    if (screen.length + needed <= capacity) return;
    screens.push(screen);
    screen = [];
  };
  for (const group of groups) {
    room(2);
    let goesOn = false;
    for (const paper of group.papers) {
      room(1);
      if (!goesOn || !screen.length) {
        if (screen.length % lines === lines - 1) screen.push({ blank: true });
        screen.push({ head: group.alike, group, count: group.papers.length, goesOn });
        goesOn = true;
      }
      screen.push({ paper, doubtful: DOUBTFUL.includes(group.alike) });
    }
  }
  if (screen.length) screens.push(screen);
  return screens;
}

export class SweepModel {
  /**
   * @param {Group[]} groups
   * @param {number} capacity
   * @param {number} lines
   */
  constructor(groups, capacity, lines = capacity) {
    this.groups = groups;
    /** @type {Map<number, State>} */
    this.states = new Map(groups.flatMap(({ papers }) => papers.map((paper) => [paper, "open"])));
    /** @type {number | null} the paper that a key answers */
    this.at = groups[0]?.papers[0] ?? null;
    /** @type {number[]} answered papers, the latest last */
    this.answered = [];
    this.lay(capacity, lines);
  }

  /** Lay the rows out for a screen of so many lines, and columns of so many; the cursor stays on its paper. */
  lay(capacity, lines = capacity) {
    this.screens = screensOf(this.groups, Math.max(4, capacity), Math.max(4, lines));
    this.screen = Math.max(
      0,
      this.screens.findIndex((screen) => this.papersOf(screen).includes(this.at)),
    );
  }

  papersOf(screen) {
    return (screen || []).flatMap((line) => ("paper" in line ? [line.paper] : []));
  }

  get shown() {
    return this.papersOf(this.screens[this.screen]);
  }

  /** Papers of the screen that can be accepted together: open, with a value, not doubtful. */
  together(hasValue) {
    const lines = this.screens[this.screen] || [];
    return lines.flatMap((line) =>
      "paper" in line && !line.doubtful && this.isOpen(line.paper) && hasValue(line.paper) ? [line.paper] : [],
    );
  }

  isOpen(paper) {
    return this.states.get(paper) === "open";
  }

  /** How many papers are in a state. */
  count(state) {
    return [...this.states.values()].filter((one) => one === state).length;
  }

  /** Move the cursor over the rows of the screen; whether it moved. */
  move(by) {
    const { shown } = this;
    const place = shown.indexOf(this.at) + by;
    if (place < 0 || place >= shown.length) return false;
    this.at = shown[place];
    return true;
  }

  /** Go to another screen; whether there is one. */
  turn(by) {
    if (!this.screens[this.screen + by]) return false;
    this.screen += by;
    this.at = this.shown.find((paper) => this.isOpen(paper)) ?? this.shown[0];
    return true;
  }

  /** Go to the next open row after the cursor: of this screen, else of a later one, else of an earlier one. */
  next() {
    const { shown } = this;
    const place = shown.indexOf(this.at);
    const open = (papers) => papers.find((paper) => this.isOpen(paper));
    const here = open(shown.slice(place + 1)) ?? open(shown.slice(0, place));
    if (here !== undefined) {
      this.at = here;
      return true;
    }
    const others = [...this.screens.keys()].filter((number) => number !== this.screen);
    const later = [...others.filter((number) => number > this.screen), ...others];
    const found = later.find((number) => open(this.papersOf(this.screens[number])) !== undefined);
    if (found === undefined) return false;
    this.screen = found;
    this.at = /** @type {number} */ (open(this.papersOf(this.screens[found])));
    return true;
  }

  /** A paper was answered. */
  answer(paper) {
    this.states.set(paper, "sent");
    this.answered = [...this.answered.filter((one) => one !== paper), paper];
  }

  /** What was answered last is open again; which paper that is, or null. */
  takeBack() {
    const paper = this.answered.pop() ?? null;
    if (paper === null) return null;
    this.states.set(paper, "open");
    this.goTo(paper);
    return paper;
  }

  goTo(paper) {
    this.at = paper;
    this.screen = Math.max(
      0,
      this.screens.findIndex((screen) => this.papersOf(screen).includes(paper)),
    );
  }
}

const MARGIN_LEFT = 0.11; // of the page's width, where printed names stand
const WIDTH_LEAST = 0.34;
const HEIGHT_LEAST = 0.021; // of the page's height
const round = (/** @type {number} */ side) => Math.min(1, Math.max(0, Math.round(side * 1e4) / 1e4));

/** What a row shows of a page: the place with what is printed before it. @param {number[]} box */
export function stripOf([x0, y0, x1, y1]) {
  const left = Math.max(0, x0 - MARGIN_LEFT);
  const right = Math.max(x1 + 0.012, left + WIDTH_LEAST);
  const missing = Math.max(0, HEIGHT_LEAST - (y1 - y0)) / 2 + 0.0015;
  return [left, y0 - missing, right, y1 + missing].map(round);
}
