// Keys: one place that listens, so that none fires while somebody types, and `g` then a letter goes to a step.

const STEPS = { g: "gather", p: "plan", l: "label", t: "train", w: "weigh", r: "review", d: "deliver" };
let actions = {};
let waitingForStep = false;

export function typing(target) {
  return target.closest?.("input:not([type=radio]):not([type=checkbox]), textarea, select, [contenteditable]") != null;
}

// A view's keys: { key: function }, keys named as in KeyboardEvent.key, with "Ctrl+", "Shift+" before where needed.
export function setKeys(map) {
  actions = { ...actions, ...map };
}

function nameOf(event) {
  const shift = event.shiftKey && event.key.length > 1 ? "Shift+" : "";
  return (event.ctrlKey || event.metaKey ? "Ctrl+" : "") + shift + event.key;
}

document.addEventListener("keydown", (event) => {
  const name = nameOf(event);
  if (name === "Ctrl+k") {
    event.preventDefault();
    actions["Ctrl+k"]?.();
    return;
  }
  if (document.querySelector("dialog[open]") || event.altKey) return;
  if (typing(event.target)) {
    // Out of the box, so that the next key is the view's; what stands in it stays.
    if (name === "Escape" && !event.defaultPrevented) /** @type {HTMLElement} */ (event.target).blur();
    return;
  }
  if (waitingForStep) {
    waitingForStep = false;
    const link = document.querySelector(`[data-step-link="${STEPS[event.key]}"]`);
    if (link) {
      event.preventDefault();
      location.href = link.href;
      return;
    }
  }
  if (name === "g") {
    waitingForStep = true;
    setTimeout(() => {
      waitingForStep = false;
    }, 1500);
    return;
  }
  const onControl = event.target.closest?.("button, a, summary, [role=slider]");
  if (onControl && (name === "Enter" || name === " ")) return;
  const action = actions[name] || actions.any;
  if (action && action(event, name) !== false) event.preventDefault();
});
