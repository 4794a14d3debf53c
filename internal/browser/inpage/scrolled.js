// Scrolls one of the boxes of scrollers.js, and says where in it the masked elements are then.
(async (number, x, y, masks) => {
  const n = window.__measuredByYellowGate.scrollers[number];
  n.scrollTo({left: x, top: y, behavior: "instant"});
  await new Promise(done => requestAnimationFrame(() => requestAnimationFrame(done)));
  const of = n.getBoundingClientRect(), hidden = [];
  for (const s of masks) for (const m of n.querySelectorAll(s)) {
    const r = m.getBoundingClientRect(), left = Math.floor(r.left - of.left), top = Math.floor(r.top - of.top);
    hidden.push({x: left, y: top, width: Math.ceil(r.width) + 1, height: Math.ceil(r.height) + 1});
  }
  return hidden;
})
