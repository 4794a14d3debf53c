// The boxes that scroll within the page, up and down or sideways, and are not most of it: where each is, its name, and
// how far it scrolls. They are kept for scrolled.js.
(() => {
  const list = window.__measuredByYellowGate.scrollers = [];
  const whole = n => n.clientHeight * 2 >= innerHeight && n.clientWidth * 2 >= innerWidth;
  const named = n => n.localName + (n.id ? "#" + n.id : "") + [...n.classList].slice(0, 1).map(c => "." + c).join("");
  const out = [];
  for (const n of document.querySelectorAll("body *")) {
    const style = getComputedStyle(n), r = n.getBoundingClientRect();
    const can = (overflow, more) => /auto|scroll/.test(overflow) ? Math.max(0, more) : 0;
    const x = can(style.overflowX, n.scrollWidth - n.clientWidth);
    const y = whole(n) ? 0 : can(style.overflowY, n.scrollHeight - n.clientHeight);
    if (x + y < 2 || n.clientWidth < 8 || n.clientHeight < 8 || style.visibility !== "visible") continue;
    list.push(n);
    out.push({
      name: named(n), right: x, down: y,
      x: Math.floor(r.left + scrollX + n.clientLeft), y: Math.floor(r.top + scrollY + n.clientTop),
      width: n.clientWidth, height: n.clientHeight,
    });
    if (list.length === 20) break;
  }
  return out;
})()
