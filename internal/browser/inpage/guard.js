// Put into each page before its own scripts where a visitor's steps are done: nothing that is done leads away or posts,
// and chance is the same each time.
(() => {
  let seed = 1;
  Math.random = () => (seed = seed * 16807 % 2147483647) / 2147483647;
  window.open = () => null;
  window.print = () => {};
  addEventListener("submit", e => e.preventDefault());
  addEventListener("click", e => {
    const a = e.composedPath().find(n => n.localName === "a" || n.localName === "area");
    const to = a && a.getAttribute("href");
    if (to && !/^\s*(#|javascript:)/i.test(to)) e.preventDefault();
  });
})();
