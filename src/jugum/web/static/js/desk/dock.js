// The dock below the pages: fields without a place, typing a value, a table's grid.

import { beam } from "../frame/beam.js";
import { Grid } from "./grid.js";
import { YES_OR_NO } from "./model.js";
import { button, editor, element } from "./notes.js";
import { Rails } from "./rails.js";

const LEADS = {
  label: ["To mark:", "Every field has its place."],
  review: ["Without a place:", ""],
  look: ["Not on this paper:", ""],
};

export class Dock {
  /** @param {import("./view.js").DeskView} view */
  constructor(view) {
    this.view = view;
    this.root = /** @type {HTMLElement} */ (view.root.querySelector(".dock"));
    /** @type {Rails | null} */
    this.rails = null;
    this.grid = null;
  }

  draw() {
    const { active, paper, selection } = this.view;
    const table = active && selection.editing && active.shape.kind === "table";
    this.root.classList.toggle("tall", Boolean(table));
    if (table) {
      this.drawGrid(active);
      return;
    }
    if (this.typingIn(active)) return;
    this.root.dataset.field = active ? active.key : "";
    this.closeRails();
    const chips = paper.fields
      .filter((field) => paper.shown(field, selection.filter) && !paper.hasPlace(field))
      .map((field) => this.chip(field));
    const parts = [this.into(active), element("span", "lead", LEADS[paper.mode][chips.length ? 0 : 1]), ...chips];
    if (selection.free && active) parts.push(this.freeEntry(active));
    else if (active && paper.mode !== "look" && !paper.hasPlace(active)) parts.push(this.entry(active));
    this.root.replaceChildren(...parts);
    if (selection.editing) this.root.querySelector("input, textarea")?.focus();
  }

  /** Which field a click on the page or a key writes into. */
  into(active) {
    const said = element("span", "into");
    if (!active || this.view.paper.mode === "look") return said;
    said.append("Into ", element("b", "", active.name));
    said.title = "A click on the page and what you type go into this field";
    return said;
  }

  /** Whether something is typed here that is not sent yet. */
  get holdsTyping() {
    const input = this.root.querySelector("input, textarea");
    return Boolean(input && input === document.activeElement && input.value);
  }

  /** Whether somebody is typing a value for this field just now: what is typed is not drawn over by news. */
  typingIn(field) {
    return Boolean(this.holdsTyping && field && this.root.dataset.field === field.key);
  }

  /** Leave the input, so that the next key is a key of the desk. */
  blur() {
    const focused = document.activeElement;
    if (focused instanceof HTMLElement && this.root.contains(focused)) focused.blur();
  }

  chip(field) {
    const { paper, selection, acts } = this.view;
    const { values } = paper.standing(field);
    const kinds = [field.key === selection.active && "active", field.hold && "held", field.absent && "absent"];
    const chip = element("button", ["chip", ...kinds.filter(Boolean)].join(" "));
    chip.type = "button";
    chip.dataset.field = field.key;
    if (field.letter) chip.append(element("kbd", "", field.letter));
    chip.append(field.name);
    if (field.hold && field.confidence != null && !values.length) chip.append(beam(field.confidence, field.threshold));
    if (values.length) chip.append(element("span", "mono", values.map((value) => value.text).join("; ")));
    else if (!paper.isOpen(field)) chip.append(element("span", "quiet small", "not on paper"));
    else if (field.hold) chip.append(element("span", "held small", field.hold));
    if (field.disputed) chip.append(element("span", "held small", "two answers"));
    chip.addEventListener("click", () => acts.pick(field.key));
    return chip;
  }

  // ---- Tables ----

  /** A table's rows to fill in; the paper stays in sight, with lines over it once it is swept. */
  drawGrid(field) {
    const { paper, pages, acts } = this.view;
    if (this.grid?.field === field.key && this.root.contains(this.grid.editor.root)) {
      this.rails?.draw();
      return;
    }
    const grid = new Grid(field, paper.rowsOf(field), {
      save: (rows) => acts.putRows(field, rows, this.rails?.any ? "marked" : "typed"),
      left: acts.stopEditing,
      at: (cell) => {
        if (cell?.box) pages.reveal(cell.page, cell.box);
      },
    });
    this.grid = { field: field.key, editor: grid };
    this.openRails(field, grid);
    this.root.replaceChildren(grid.root);
    grid.focus();
  }

  /** Save the grid that is open, if there is one; whether there was. */
  saveGrid() {
    const open = this.view.selection.editing && this.root.contains(this.grid?.editor.root);
    if (open) this.grid.editor.save();
    return Boolean(open);
  }

  openRails(field, grid) {
    const { pages } = this.view;
    pages.mode = "table";
    this.rails = new Rails(pages, field, {
      tell: (text) => this.view.tell(text),
      changed: (rows) => {
        grid.setRows(rows.filter((row) => row.some(Boolean)));
        grid.setBar(this.rails.any ? this.rails.bar() : element("span"));
      },
    });
  }

  closeRails() {
    if (!this.rails) return;
    this.rails = null;
    this.view.pages.mode = "words";
    this.view.pages.near.forEach((page) => page.helps.replaceChildren());
  }

  // ---- Fields without a place ----

  /** What to do for a field without a place: click, type, "not on this paper", candidates. */
  entry(field) {
    const { acts, paper } = this.view;
    const holder = element("span", "entry");
    if (field.shape.kind === "derived") {
      holder.append(element("span", "quiet small", "calculated from other fields: correct those"));
      return holder;
    }
    if (field.shape.kind === "table") {
      holder.append(
        element("span", "quiet small", "No rows were found."),
        button("Mark or fill in rows", "e", acts.edit),
        button("Not on this paper", ".", acts.absent),
      );
      return holder;
    }
    const [first] = paper.standing(field).values;
    const key = (option) => (YES_OR_NO.includes(field.data_type) ? option[0] : "");
    holder.append(
      ...field.shape.options.map((option) => button(option, key(option), () => acts.typed(field, option, first))),
      element("span", "quiet small", this.whatToDo(field)),
      this.typing(field),
      paper.absenceIsLikely(field)
        ? button("Accept: not on paper", "Enter", acts.absent)
        : button("Not on this paper", ".", acts.absent),
    );
    (field.others || []).slice(0, 4).forEach((other, index) => {
      const made = button(other.text, "", () => acts.candidate(index));
      made.prepend(element("kbd", "", String(index + 1)), " ");
      holder.append(made);
    });
    return holder;
  }

  whatToDo(field) {
    const sure = Math.round((field.confidence || 0) * 100);
    if (this.view.paper.absenceIsLikely(field))
      return `“Not on this paper” has a confidence of ${sure} %. Accept, click its words, or`;
    if (field.shape.kind === "clause") return `Click the paragraph of ${field.name} (with Shift for more), or`;
    if (field.data_type === "signature") return "Click the signature or stamp, or draw a box around it, or";
    if (field.data_type === "tick box") return `Click the box of ${field.name}, or`;
    return `Click the words of ${field.name}, or drag over them, or`;
  }

  typing(field, place = null) {
    const { acts, paper } = this.view;
    const box = editor(
      paper.standing(field).values[0]?.text || "",
      (text) => acts.normal(field, text),
      (text) => acts.typed(field, text, place),
      () => {
        this.blur();
        acts.stopEditing();
      },
    );
    const input = box.querySelector("input, textarea");
    input.className = "form-control";
    input.placeholder = "type the value, Enter";
    return box;
  }

  /** A box where no word was read: read it again closely, or type what stands there. */
  freeEntry(field) {
    const { acts, selection } = this.view;
    const { page, box } = selection.free;
    const holder = element("span", "entry");
    const offers = this.offersFor(selection.free);
    holder.append(element("span", "quiet small", `A box for ${field.name} where no word was read:`));
    holder.append(button("Read again here", "", () => acts.readHere(field, page, box, offers)));
    holder.append(offers, this.typing(field, { page, box }), button("Cancel", "Esc", acts.stopEditing));
    return holder;
  }

  /** Where readings of a box are offered: kept while the box is, whatever is drawn again meanwhile. */
  offersFor(box) {
    if (this.offered?.box !== box) this.offered = { box, offers: element("span", "offers") };
    return this.offered.offers;
  }
}
