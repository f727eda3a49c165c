// The grid of a table's cells: a row a line, moved through as in a spreadsheet; what is typed stays with the row it stands in.

import { button, element } from "./notes.js";

// rows: arrays of {text, page, box} or null; save(rows) and left() are called once.
export function gridEditor(field, rows, acts) {
  const columns = field.shape.columns;
  const holder = element("div", "grid-editor");
  const table = element("table", "grid");
  const head = element("tr");
  columns.forEach(([, name, type]) => { const cell = element("th", "", name); cell.title = type; head.append(cell); });
  head.append(element("th"));
  const body = element("tbody");
  table.append(head, body);

  const inputs = () => [...body.querySelectorAll("tr")].map((row) => [...row.querySelectorAll("input")]);
  const focus = (row, column) => { const all = inputs(); const line = all[Math.max(0, Math.min(all.length - 1, row))]; line?.[Math.max(0, Math.min(columns.length - 1, column))]?.focus(); };

  function add(cells = [], after = null) {
    const row = element("tr");
    columns.forEach(([, name], at) => {
      const input = element("input");
      input.value = cells[at]?.text || "";
      input.cell = cells[at] || null;
      input.setAttribute("aria-label", name);
      const holder = element("td");
      holder.append(input);
      row.append(holder);
    });
    const drop = element("button", "btn-quiet", "×");
    drop.type = "button";
    drop.setAttribute("aria-label", "Remove the row");
    drop.addEventListener("click", () => { row.remove(); if (!body.children.length) add(); });
    const last = element("td");
    last.append(drop);
    row.append(last);
    if (after) after.after(row);
    else body.append(row);
    return row;
  }

  const now = () => inputs().map((line) => line.map((input) => {
    const text = input.value.trim();
    if (!text) return null;
    return input.cell?.text === text ? input.cell : { text, page: null, box: null };
  }));

  body.addEventListener("keydown", (event) => {
    const line = event.target.closest("tr");
    const row = [...body.children].indexOf(line);
    const column = [...line.querySelectorAll("input")].indexOf(event.target);
    if (event.key === "Enter" && (event.ctrlKey || event.metaKey)) acts.save(now());
    else if (event.key === "Enter" || event.key === "ArrowDown") { if (row === body.children.length - 1 && event.key === "Enter") add(); focus(row + 1, column); }
    else if (event.key === "ArrowUp") focus(row - 1, column);
    else if (event.key === "Escape") acts.left();
    else return;
    event.preventDefault();
    event.stopPropagation();
  });

  (rows.length ? rows : [[]]).forEach((cells) => add(cells));
  const bar = element("div", "grid-bar");
  bar.append(element("b", "", field.name), button("Add a row", "", () => { add(); focus(body.children.length - 1, 0); }), element("span", "spacer"), button("Leave", "Esc", acts.left), button("Save the rows", "Ctrl Enter", () => acts.save(now())));
  holder.append(bar, table);
  holder.focusInput = () => focus(0, 0);
  return holder;
}
