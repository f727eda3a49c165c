// Which paper comes next in Review: the queue that somebody works on is kept for as long as the window is open.

const NAME = "jugum-queue";

/** @param {string} type
 * @param {string} address where the next paper of the queue is handed out */
export function keepQueue(type, address) {
  sessionStorage.setItem(NAME, JSON.stringify({ type, address }));
}

/** Where the next paper of a type is handed out: to one person only, as the queue was narrowed last.
 * @param {string} type */
export function nextInQueue(type) {
  const kept = JSON.parse(sessionStorage.getItem(NAME) || "null");
  return kept?.type === type ? kept.address : `/types/${type}/review/next`;
}
