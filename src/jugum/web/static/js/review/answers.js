// Answers of a sweep or a grid on their way to the server, one after another: kept on this machine until it has them.

import { call } from "../frame/server.js";
import { Saver } from "../desk/saver.js";

const AT_ONCE = 100; // papers

/** What a value says, as it is sent. */
export function bodyOf(values, absent = false) {
  const sent = values.map(({ text, page = null, box = null, more_places = [] }) => ({
    text,
    page,
    box,
    words: [],
    more_places: more_places.map(([number, place]) => ({ page: number, box: place })),
  }));
  return { absent, values: sent };
}

/**
 * @param {string} name under which what is not sent yet is kept
 * @param {(cell: string) => number} revision of the paper of a cell
 * @param {{told: Function, saved: Function, conflict: Function, refused: Function}} heard
 *
 * A cell is named "paper field".
 */
export function answers(name, revision, heard) {
  return new Saver({
    name,
    path: (cell) => {
      const [paper, field] = cell.split(" ");
      return `/api/v1/documents/${paper}/review/${field}`;
    },
    revision,
    ...heard,
  });
}

/** Papers stay with the person who looks at them, for as long as the page is open. */
export class Kept {
  /** @param {string} type */
  constructor(type) {
    this.path = `/api/v1/types/${type}/sweep/keep`;
    /** @type {Set<number>} */
    this.papers = new Set();
    setInterval(() => this.#say({}), 15000);
    addEventListener("pagehide", () => this.#say({ release: true }, true));
  }

  #say(more, last = false) {
    const documents = [...this.papers];
    for (let start = 0; start < documents.length; start += AT_ONCE) {
      const body = { documents: documents.slice(start, start + AT_ONCE), ...more };
      call("POST", this.path, body, last).catch(() => null); // the next time
    }
  }
}
