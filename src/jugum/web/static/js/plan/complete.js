// Completion of field names and functions in expressions: a small list under the box; Tab or Enter takes one.

import { element } from "../desk/notes.js";

export function completing(box, words) {
  const list = element("ul", "completions");
  list.setAttribute("role", "listbox");
  list.hidden = true;
  box.parentElement.classList.add("completing");
  box.after(list);
  let shown = [];
  let at = 0;

  const piece = () => box.value.slice(0, box.selectionStart).match(/[A-Za-z][A-Za-z0-9_.]*$/)?.[0] || "";
  const close = () => {
    list.hidden = true;
    shown = [];
  };
  const draw = () =>
    list.replaceChildren(
      ...shown.map((word, place) => {
        const item = element("li", place === at ? "at" : "");
        item.setAttribute("role", "option");
        item.setAttribute("aria-selected", place === at);
        item.append(element("code", "", word.text), element("span", "quiet small", word.said));
        item.addEventListener("pointerdown", (event) => {
          event.preventDefault();
          take(place);
        });
        return item;
      }),
    );

  function take(place) {
    const typed = piece();
    const end = box.selectionStart;
    const word = shown[place].text;
    box.setRangeText(word, end - typed.length, end, "end");
    close();
    box.dispatchEvent(new Event("input", { bubbles: true }));
  }

  box.addEventListener("input", () => {
    const typed = piece().toLowerCase();
    shown = typed
      ? words()
          .filter(
            (word) =>
              word.text.toLowerCase() !== typed &&
              (word.text.toLowerCase().startsWith(typed) ||
                word.said
                  .toLowerCase()
                  .split(/\s+/)
                  .some((part) => part.startsWith(typed))),
          )
          .slice(0, 8)
      : [];
    at = 0;
    list.hidden = !shown.length;
    draw();
  });
  box.addEventListener("keydown", (event) => {
    if (!shown.length) return;
    if (event.key === "ArrowDown" || event.key === "ArrowUp") {
      at = (at + (event.key === "ArrowDown" ? 1 : -1) + shown.length) % shown.length;
      draw();
    } else if (event.key === "Tab" || event.key === "Enter") take(at);
    else if (event.key === "Escape") close();
    else return;
    event.preventDefault();
  });
  box.addEventListener("blur", close);
}
