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

/** Values of a form's visible fields by name; passwords and files are nobody's to keep. */
function valuesOf(form) {
  const kept = {};
  for (const field of form.elements) {
    const keepable = field.name && !["hidden", "password", "file", "submit"].includes(field.type);
    if (keepable) kept[field.name] = field.type === "checkbox" ? field.checked : field.value;
  }
  return kept;
}

function fill(form, kept) {
  for (const field of form.elements) {
    if (!(field.name in kept)) continue;
    if (field.type === "checkbox") field.checked = kept[field.name];
    else if (field.type !== "hidden") field.value = kept[field.name];
  }
}

/** Keep what is typed into the page's forms. A form that was sent is forgotten, unless its answer was an error. */
export function keepForms(root = document) {
  const sent = JSON.parse(sessionStorage.getItem(SENT) || "[]");
  sessionStorage.removeItem(SENT);
  if (!root.querySelector("[data-error-page]")) sent.forEach((name) => dropDraft(name));
  for (const form of /** @type {NodeListOf<HTMLFormElement>} */ (root.querySelectorAll("form[method=post]"))) {
    const name = `${location.pathname} ${form.getAttribute("action") || form.id}`;
    const kept = draftOf(name);
    if (kept) fill(form, kept);
    form.addEventListener("input", () => keepDraft(name, valuesOf(form)));
    form.addEventListener("submit", () => sessionStorage.setItem(SENT, JSON.stringify([name])));
  }
}
