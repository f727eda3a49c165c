// Suggestions of a paper that is too long to be looked at while its desk opens: part by part, what is in view first,
// then the other pages near the front. Pages far behind are looked at when they come into view.

const BEHIND_PAGES = 40; // first pages that are looked at without being in view: about half a second each
const SAID = "Looking for suggestions";

/** @typedef {[number, number]} Part first and last page */

/**
 * Which part is looked at next: what is in view, else what is near the front, else none.
 * @param {Part[]} open
 * @param {number} inView
 */
export function nextPart(open, inView) {
  const there = open.find(([first, last]) => first <= inView && inView <= last);
  return there || open.find(([first]) => first <= BEHIND_PAGES) || null;
}

export class Suggesting {
  /**
   * @param {Part[]} parts
   * @param {object} desk
   * @param {() => number} desk.inView the page that is looked at
   * @param {(first: number, last: number) => Promise<any[]>} desk.ask what is found there
   * @param {(fields: any[]) => void} desk.came
   * @param {() => string} desk.said
   * @param {(text: string) => void} desk.tell
   */
  constructor(parts, desk) {
    this.open = [...parts];
    this.pages = Math.max(0, ...parts.map(([, last]) => last));
    this.desk = desk;
    this.busy = false;
  }

  /** Go on until nothing is left to look at for now. */
  async look() {
    if (this.busy) return;
    this.busy = true;
    for (let part = this.#next(); part; part = this.#next()) {
      const [first, last] = part;
      this.#tell(`${SAID}: pages ${first}–${last} of ${this.pages}…`);
      const found = await this.desk.ask(first, last).catch(() => []);
      this.open = this.open.filter((one) => one !== part);
      this.desk.came(found);
    }
    this.#tell("");
    this.busy = false;
  }

  #next() {
    return nextPart(this.open, this.desk.inView());
  }

  /** What else is said on the desk stays. */
  #tell(text) {
    if (!this.desk.said() || this.desk.said().startsWith(SAID)) this.desk.tell(text);
  }
}
