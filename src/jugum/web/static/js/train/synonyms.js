// Names that mean the same: a name seen on papers goes into the text as a line of its own, to be saved with the rest.

const text = document.getElementById("lines");

for (const button of document.querySelectorAll("[data-add]")) {
  button.addEventListener("click", () => {
    const lines = text.value.split("\n").filter((line) => line.trim());
    const [name, printed] = button.dataset.add.split(" = ");
    const group = lines.findIndex((line) => line.split("=").some((part) => part.trim().toLowerCase() === name));
    if (group >= 0) lines[group] = `${lines[group]} = ${printed}`;
    else lines.push(button.dataset.add);
    text.value = lines.join("\n");
    button.disabled = true;
    button.textContent = "added above";
  });
}
