// Thresholds tried on the last live papers: what would change sides, as pictures of the places.

import { call } from "../frame/server.js";

/**
 * @param {string} api
 * @param {{decision: string, unit: string}} words
 * @param {{thresholds: Record<string, number>, always_held: string[], dial: any}} tried
 */
export async function showTrial(api, words, tried) {
  const section = document.getElementById("trial");
  section.hidden = false;
  section.replaceChildren(element("p", "quiet", `Looking at the last live ${words.unit} …`));
  const found = await call("POST", `${api}/weigh/trial`, tried).catch((error) => ({ error }));
  const close = element("button", "btn-quiet", "Close");
  close.addEventListener("click", () => (section.hidden = true));
  const head = element("div", "trial-head");
  head.append(element("h2", "", found.error ? found.error.message : `${found.said}.`), close);
  section.replaceChildren(head);
  if (found.error || !found.papers) return;
  const columns = element("div", "trial-columns");
  const passing = found.changes.filter((change) => change.would_pass);
  const waiting = found.changes.filter((change) => !change.would_pass);
  columns.append(
    column(words.decision, "would pass", passing, found.would_pass),
    column(words.decision, "would wait for a person", waiting, found.would_wait),
  );
  section.append(columns);
  section.focus();
}

function column(decision, title, changes, count) {
  const part = element("div", "trial-column");
  const values = count === 1 ? `1 ${decision}` : `${count} ${decision}s`;
  const shown = changes.length < count ? ` (${changes.length} of them are shown)` : "";
  part.append(element("h3", "", `${count ? values : `No ${decision}`} ${title}${shown}`));
  const list = element("ul", "");
  list.append(...changes.map(item));
  part.append(list);
  return part;
}

function item(change) {
  const line = element("li", change.corrected ? "corrected" : "");
  if (change.crop) {
    const picture = document.createElement("img");
    picture.src = change.crop;
    picture.alt = `${change.name} on ${change.paper}`;
    picture.loading = "lazy";
    line.append(picture);
  }
  const percent = (share) => `${(share * 100).toFixed(1)} %`;
  const words = element("p", "");
  words.append(
    element("b", "", change.name),
    ` ${change.value || "not on the paper"} · ${percent(change.confidence)}, threshold ${percent(change.threshold)}`,
  );
  if (change.corrected !== null) {
    const said = change.corrected ? `A person corrected it to ${change.corrected_to}.` : "A person agreed to it.";
    words.append(" ", element("span", "looked-at", said));
  }
  const link = /** @type {HTMLAnchorElement} */ (element("a", "", change.paper));
  link.href = change.address;
  line.append(words, link);
  return line;
}

function element(name, kind, words = "") {
  const made = document.createElement(name);
  if (kind) made.className = kind;
  if (words) made.textContent = words;
  return made;
}
