// Asking one question in our own dialog instead of the browser's.

// Resolves to the text given ("" when no text is asked for), or null when it was left. Of `choices` one is taken by a
// click or its digit; what is typed beside it is said, too.
export function ask({ title, text = "", verb, input = null, placeholder = "", secret = false, choices = [] }) {
  const dialog = document.getElementById("ask");
  const field = dialog.querySelector("input");
  dialog.querySelector("h2").textContent = title;
  dialog.querySelector("p").textContent = text;
  dialog.querySelector("p").hidden = !text;
  dialog.querySelector("[data-yes]").textContent = verb;
  field.hidden = input === null;
  field.type = secret ? "password" : "text";
  field.autocomplete = secret ? "off" : "on";
  field.value = input || "";
  field.placeholder = placeholder;
  field.setAttribute("aria-label", title);
  dialog.returnValue = "";
  const chosen = offer(dialog, choices, field);
  dialog.showModal();
  if (input !== null) field.focus();
  else dialog.querySelector("[data-yes]").focus();
  return new Promise((resolve) => {
    // Answered in the key's own event, not when "close" comes round: the next key may be a moment away.
    field.onkeydown = (event) => {
      if (event.key !== "Enter") return;
      event.preventDefault();
      dialog.close("yes");
      field.blur(); // else it keeps the focus until the next frame, and the next key is taken for typing
      resolve(both(chosen(), field.value));
    };
    dialog.addEventListener(
      "close",
      () => {
        resolve(dialog.returnValue === "yes" ? both(chosen(), field.value) : null);
        if (secret) field.value = "";
      },
      { once: true },
    );
  });
}

const both = (chosen, typed) => [chosen, typed.trim()].filter(Boolean).join(": ");

/** Choices of a dialog, each with its digit; returns how to ask which one is taken. */
function offer(dialog, choices, field) {
  const list = dialog.querySelector("[data-choices]");
  let taken = "";
  const buttons = choices.map((choice, place) => {
    const button = document.createElement("button");
    button.type = "button";
    button.className = "btn btn-plain";
    button.setAttribute("aria-pressed", "false");
    const key = document.createElement("kbd");
    key.textContent = String(place + 1);
    button.append(key, " ", choice);
    button.addEventListener("click", () => {
      taken = taken === choice ? "" : choice;
      for (const one of buttons) one.setAttribute("aria-pressed", String(one === button && Boolean(taken)));
    });
    return button;
  });
  list.hidden = !choices.length;
  list.replaceChildren(
    ...buttons.map((button) => {
      const item = document.createElement("li");
      item.append(button);
      return item;
    }),
  );
  field.onbeforeinput = (event) => {
    const place = Number(event.data) - 1;
    if (field.value || !buttons[place]) return;
    event.preventDefault();
    buttons[place].click();
  };
  return () => taken;
}

export function tell(title, text) {
  return ask({ title, text, verb: "All right" });
}
