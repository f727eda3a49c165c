// The grid of a table's cells: a row a line, moved through as in a spreadsheet; what is typed stays with the row it stands in.

import { button, element } from "./notes.js";

// rows: arrays of {text, page, box} or null; acts: save(rows), left(), bar (an element shown above). Returns the grid with
// setRows(rows) and rows().
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
  const focus = (row, column) => {
    const all = inputs();
    const line = all[Math.max(0, Math.min(all.length - 1, row))];
    const input = line?.[Math.max(0, Math.min(columns.length - 1, column))];
    input?.focus();
    input?.select();
  };

  function add(cells = [], after = null) {
    const row = element("tr");
    columns.forEach(([, name], at) => {
      const input = element("input");
      input.value = cells[at]?.text || "";
      input.cell = cells[at] || null;
      input.setAttribute("aria-label", name);
      input.addEventListener("focus", () => acts.at?.(input.cell));
      const cell = element("td");
      cell.append(input);
      row.append(cell);
    });
    const drop = element("button", "btn-quiet", "×");
    drop.type = "button";
    drop.setAttribute("aria-label", "Remove the row");
    drop.addEventListener("click", () => remove(row));
    const last = element("td");
    last.append(drop);
    row.append(last);
    if (after) after.after(row);
    else body.append(row);
    return row;
  }

  function remove(row) {
    row.remove();
    if (!body.children.length) add();
  }

  const now = () => inputs().map((line) => line.map((input) => {
    const text = input.value.trim();
    if (!text) return null;
    if (input.cell?.text === text) return input.cell;
    return { text, page: input.cell?.page ?? null, box: input.cell?.box ?? null };
  }));

  // A cell that was read over two columns: the next one's words are put into this one, with the box around both.
  function join(line, column) {
    const [mine, next] = [line[column], line[column + 1]];
    if (!next) return;
    const [a, b] = [mine.cell, next.cell];
    mine.value = `${mine.value} ${next.value}`.trim();
    if (a?.box && b?.box && a.page === b.page) mine.cell = { text: mine.value, page: a.page, box: [Math.min(a.box[0], b.box[0]), Math.min(a.box[1], b.box[1]), Math.max(a.box[2], b.box[2]), Math.max(a.box[3], b.box[3])] };
    else mine.cell = a || b;
    next.value = "";
    next.cell = null;
  }

  body.addEventListener("keydown", (event) => {
    const line = event.target.closest("tr");
    const row = [...body.children].indexOf(line);
    const cells = [...line.querySelectorAll("input")];
    const column = cells.indexOf(event.target);
    const { selectionStart: from, selectionEnd: to, value } = event.target;
    const whole = from === 0 && to === value.length;
    const ctrl = event.ctrlKey || event.metaKey;
    if (event.key === "Enter" && ctrl) acts.save(now());
    else if (event.key === "Delete" && ctrl) { remove(line); focus(row, column); }
    else if (event.key === "Enter" && event.altKey) { add([], line); focus(row + 1, 0); }
    else if (event.key === "ArrowRight" && event.altKey) join(cells, column);
    else if (event.key === "Enter" || event.key === "ArrowDown") { if (row === body.children.length - 1 && event.key === "Enter") add(); focus(row + 1, column); }
    else if (event.key === "ArrowUp") focus(row - 1, column);
    else if (event.key === "ArrowLeft" && (whole || (from === 0 && to === 0)) && column) focus(row, column - 1);
    else if (event.key === "ArrowRight" && (whole || from === value.length) && column < columns.length - 1) focus(row, column + 1);
    else if (event.key === "Escape") acts.left();
    else { event.stopPropagation(); return; }
    event.preventDefault();
    event.stopPropagation();
  });

  // Cells copied in a spreadsheet, from the one at hand to the right and down.
  body.addEventListener("paste", (event) => {
    const text = event.clipboardData.getData("text/plain");
    if (!/[\t\n]/.test(text.trim())) return;
    event.preventDefault();
    const row = [...body.children].indexOf(event.target.closest("tr"));
    const column = [...event.target.closest("tr").querySelectorAll("input")].indexOf(event.target);
    text.replace(/\r/g, "").replace(/\n$/, "").split("\n").forEach((line, down) => {
      if (!body.children[row + down]) add();
      line.split("\t").forEach((said, right) => { const input = inputs()[row + down][column + right]; if (input) input.value = said; });
    });
  });

  // Other rows in place of these; who was in the grid, or nowhere, stays in it.
  const setRows = (all) => {
    const within = body.contains(document.activeElement) || document.activeElement === document.body;
    body.replaceChildren();
    (all.length ? all : [[]]).forEach((cells) => add(cells));
    if (within && holder.isConnected) focus(0, 0);
  };
  setRows(rows);
  const bar = element("div", "grid-bar");
  bar.append(element("b", "", field.name), element("span", "quiet small", "sweep over the table on the page, or type"), button("Add a row", "", () => { add(); focus(body.children.length - 1, 0); }), element("span", "spacer"), button("Leave", "Esc", acts.left), button("Save the rows", "Ctrl Enter", () => acts.save(now())));
  const rails = element("div");
  holder.append(bar, rails, table);
  holder.focusInput = () => focus(0, 0);
  holder.setRows = setRows;
  holder.rows = now;
  holder.save = () => acts.save(now());
  holder.setBar = (one) => rails.replaceChildren(one);
  return holder;
}
