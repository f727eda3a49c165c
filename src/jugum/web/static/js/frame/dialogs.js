// Asking one question in our own dialog instead of the browser's.

// Resolves to the text given ("" when no text is asked for), or null when it was left.
export function ask({ title, text = "", verb, input = null, placeholder = "", secret = false }) {
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
      resolve(field.value);
    };
    dialog.addEventListener(
      "close",
      () => {
        resolve(dialog.returnValue === "yes" ? field.value : null);
        if (secret) field.value = "";
      },
      { once: true },
    );
  });
}

export function tell(title, text) {
  return ask({ title, text, verb: "All right" });
}
