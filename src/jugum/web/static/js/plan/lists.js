// Parts of the plan's lists: heads, buttons, empty places, and what a field is in words.

import { element } from "../desk/notes.js";

export const many = (count, singular, plural) => `${count} ${count === 1 ? singular : plural}`;

/** What kind a field is, as people say it. */
export function kindOf({ kind, data_type }) {
  if (kind === "table") return "table";
  if (kind === "clause") return "section";
  return kind === "derived" ? `${data_type || "text"}, calculated` : data_type || "text";
}

export function about(field) {
  const rules = field.spec.rules?.length || 0;
  const more = [
    !field.required && "optional",
    field.many && "many",
    field.personal && "personal",
    rules && many(rules, "rule", "rules"),
  ];
  return [kindOf(field), ...more.filter(Boolean)].join(", ");
}

/** A button without a frame; its click does not pick the row it stands in. */
export function quiet(text, act, label) {
  const made = element("button", "btn-quiet", text);
  made.type = "button";
  made.setAttribute("aria-label", label);
  made.addEventListener("click", (event) => {
    event.stopPropagation();
    act(event);
  });
  return made;
}

/** @param {string[][]} cells text, class and title of each */
export function head(cells) {
  const made = element("thead");
  const row = element("tr");
  for (const [text, kind = "", title = ""] of cells) {
    const cell = element("th", kind, text);
    cell.scope = "col";
    if (title) cell.title = title;
    row.append(cell);
  }
  made.append(row);
  return made;
}

export function groupRow(text) {
  const row = element("tr", "group");
  const cell = element("td", "", text);
  cell.colSpan = 4;
  row.append(cell);
  return row;
}

export function empty(title, text) {
  const made = element("div", "empty");
  made.append(element("h2", "", title), element("p", "", text));
  return made;
}

export const shortened = (text, letters) => (text.length > letters ? `${text.slice(0, letters - 2)}…` : text);
