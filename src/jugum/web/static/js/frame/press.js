// A press on a button is a click only when it is released on it: what would move the button waits until then.

/** @type {Element | null} */
let pressed = null;
/** @type {(() => void)[]} */
let late = [];

document.addEventListener(
  "pointerdown",
  ({ target }) => {
    pressed = target instanceof Element ? target.closest("button, a, select, input, summary") : null;
  },
  true,
);

function released() {
  pressed = null;
  const acts = late;
  late = [];
  setTimeout(() => acts.forEach((act) => act())); // after the click
}

document.addEventListener("pointerup", released, true);
document.addEventListener("pointercancel", released, true);

/**
 * Draw now, or once no button is pressed.
 * @param {() => void} act
 */
export function whenReleased(act) {
  if (pressed) late.push(act);
  else act();
}
