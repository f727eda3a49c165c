// Showing the page anew when its news are in, but never while somebody is on the way to another page: the reload would
// win.

const ON_THE_WAY_MS = 8000; // after that the link was a download, or did not lead away

let leaving = 0;
const leave = () => {
  leaving = performance.now();
};
window.addEventListener("beforeunload", leave);
document.addEventListener("click", (event) => {
  if (event.target.closest?.("a[href]") && !event.ctrlKey && !event.metaKey) leave();
});

export function showAnew() {
  if (!leaving || performance.now() - leaving > ON_THE_WAY_MS) location.reload();
}
