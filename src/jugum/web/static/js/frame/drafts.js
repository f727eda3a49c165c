// What is typed and not sent yet, kept in this window over reload and Back, until it is sent or given up.

const PREFIX = "jugum-draft:";

/** @typedef {Pick<Storage, "getItem" | "setItem" | "removeItem">} Kept */

/**
 * What was typed under a name, or null.
 * @param {Kept} storage
 */
export function draftOf(name, storage = sessionStorage) {
  return JSON.parse(storage.getItem(PREFIX + name) || "null");
}

/** @param {Kept} storage */
export function keepDraft(name, value, storage = sessionStorage) {
  storage.setItem(PREFIX + name, JSON.stringify(value));
}

/** @param {Kept} storage */
export function dropDraft(name, storage = sessionStorage) {
  storage.removeItem(PREFIX + name);
}

// ---- Forms that are sent by the browser ----

const SENT = "jugum-drafts-sent";
const NOT_KEPT = ["hidden", "password", "file", "submit", "button", "radio"]; // nobody types into the last four

/** What tells a form from the page's others: where it is sent, and what it is about. */
function nameOf(form) {
  const about = [...form.elements].filter((field) => field.type === "hidden" && field.name !== "csrf_token");
  const said = about.map((field) => `${field.name}=${field.value}`).join(" ");
  return `${location.pathname} ${form.getAttribute("action") || form.id} ${said}`.trim();
}

/** Whether the page was come back to: what was sent from it may not have arrived. */
const cameBack = () => performance.getEntriesByType("navigation")[0]?.["type"] === "back_forward";

/** Values of a form's visible fields by name; passwords are nobody's to keep. */
function valuesOf(form) {
  const kept = {};
  for (const field of form.elements) {
    if (!field.name || NOT_KEPT.includes(field.type)) continue;
    kept[field.name] = field.type === "checkbox" ? field.checked : field.value;
  }
  return kept;
}

function fill(form, kept) {
  for (const field of form.elements) {
    if (!(field.name in kept) || NOT_KEPT.includes(field.type)) continue;
    if (field.type === "checkbox") field.checked = kept[field.name];
    else field.value = kept[field.name];
  }
}

/** Keep what is typed into the page's forms. A form that was sent is forgotten, unless its answer was an error. */
export function keepForms(root = document) {
  const sent = JSON.parse(sessionStorage.getItem(SENT) || "[]");
  sessionStorage.removeItem(SENT);
  if (!root.querySelector("[data-error-page]") && !cameBack()) sent.forEach((name) => dropDraft(name));
  for (const form of /** @type {NodeListOf<HTMLFormElement>} */ (root.querySelectorAll("form[method=post]"))) {
    const name = nameOf(form);
    const kept = draftOf(name);
    if (kept) fill(form, kept);
    form.addEventListener("input", () => keepDraft(name, valuesOf(form)));
    form.addEventListener("submit", () => sessionStorage.setItem(SENT, JSON.stringify([name])));
  }
}
