// What a reviewer answered, over papers, so that it can be undone after the next paper has come. Kept for as long as
// the window is open.

const NAME = "jugum-review-trail";
const ASKED = "jugum-review-undo";
const MOST = 80; // steps

/** @typedef {import("./model.js").Snapshot} Snapshot */

export class Trail {
  /** @param {Pick<Storage, "getItem" | "setItem" | "removeItem">} storage */
  constructor(storage = sessionStorage) {
    this.storage = storage;
  }

  /** @returns {{document: string, step: Snapshot[]}[]} the latest last */
  read() {
    return JSON.parse(this.storage.getItem(NAME) || "[]");
  }

  /** The steps that were made on a paper, the latest last. */
  steps(document) {
    return this.read()
      .filter((entry) => entry.document === document)
      .map(({ step }) => step);
  }

  /** The steps of a paper are these now, and the latest of all. */
  keep(document, steps) {
    const others = this.read().filter((entry) => entry.document !== document);
    const all = [...others, ...steps.map((step) => ({ document, step }))];
    this.storage.setItem(NAME, JSON.stringify(all.slice(-MOST)));
  }

  /** The paper that was answered last before this one, to undo on; null when there is none. */
  before(document) {
    const earlier = this.read().filter((entry) => entry.document !== document);
    return earlier.at(-1)?.document ?? null;
  }

  /** Ask that the last step on a paper be undone when it is open. */
  ask(document) {
    this.storage.setItem(ASKED, document);
  }

  /** Whether that was asked of a paper; it is asked once. */
  asked(document) {
    const asked = this.storage.getItem(ASKED) === document;
    if (asked) this.storage.removeItem(ASKED);
    return asked;
  }
}
