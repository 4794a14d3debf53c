// What lies over the page besides open dialogs: fixed boxes and frames, popovers and the like, in shadow trees too,
// with something of the page below, by what is on top at a grid of points.
function covering() {
  const met = new Map(), grid = 8;
  const up = n => n.parentElement || (n.getRootNode() || {}).host || null;
  const deepest = (x, y) => {
    let n = document.elementFromPoint(x, y);
    while (n && n.shadowRoot) {
      const within = n.shadowRoot.elementFromPoint(x, y);
      if (!within || within === n) break;
      n = within;
    }
    return n;
  };
  const ofPage = n => n !== document.body && n !== document.documentElement;
  const lies = n => getComputedStyle(n).position === "fixed" || /dialog/.test(n.getAttribute("role") || "") ||
    n.matches("[popover]");
  for (let i = 0; i < grid * grid; i++) {
    const x = (i % grid + .5) * innerWidth / grid, y = (Math.floor(i / grid) + .5) * innerHeight / grid;
    let box = null, inDialog = false;
    for (let n = deepest(x, y); n && ofPage(n); n = up(n)) {
      inDialog = inDialog || n.localName === "dialog";
      if (lies(n)) box = n;
    }
    if (!box || inDialog) continue;
    const apart = n => !n.contains(box) && !box.contains(n) &&
      !(n.shadowRoot && n.contains(box.getRootNode().host));
    const below = document.elementsFromPoint(x, y).some(n => ofPage(n) && apart(n));
    const before = met.get(box) || {points: 0, below: false};
    met.set(box, {points: before.points + 1, below: before.below || below});
  }
  const itemOf = n => { // by the marks around it
    for (let e = n; e; e = up(e)) for (let s = e.previousSibling; s; s = s.previousSibling) {
      const mark = s.nodeType === 8 && /^(\/?)yg:(.*)$/.exec(s.data);
      if (mark && mark[1]) break;
      if (mark) return mark[2];
    }
    return "";
  };
  const named = n => n.localName + (n.id ? "#" + n.id : "") + [...n.classList].slice(0, 1).map(c => "." + c).join("");
  const boxes = [...met].filter(([, {below}]) => below).map(([n, {points}]) => ({
    id: n.id, item: itemOf(n), is: named(n), covers: points / (grid * grid),
    modal: n.getAttribute("aria-modal") === "true",
  }));
  const seen = (from, to, most) => Math.max(0, Math.min(to, most) - Math.max(from, 0));
  return boxes.concat([...document.querySelectorAll("dialog[open]")].map(d => {
    const r = d.getBoundingClientRect();
    const area = seen(r.left, r.right, innerWidth) * seen(r.top, r.bottom, innerHeight);
    return {id: d.id, covers: area / (innerWidth * innerHeight), modal: d.matches(":modal")};
  }));
}
