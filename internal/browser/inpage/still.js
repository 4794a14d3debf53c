// Stops what moves: animations that end are at their end, others at their beginning; it waits for the fonts, and says
// how tall the page is and where its elements are. masks are selectors of what is not looked at.
(async masks => {
  await document.fonts.ready;
  for (const a of document.getAnimations()) { try { a.finish(); } catch { a.cancel(); } }
  for (const m of document.querySelectorAll("video, audio")) m.pause();
  await new Promise(done => requestAnimationFrame(() => requestAnimationFrame(done)));
  const name = n => {
    const tag = n.tagName.toLowerCase();
    if (n.id) return tag + "#" + n.id;
    return typeof n.className === "string" && n.className.trim() ? tag + "." + n.className.trim().split(/\s+/)[0] : tag;
  };
  const box = n => {
    const r = n.getBoundingClientRect(), x = Math.floor(r.left + scrollX), y = Math.floor(r.top + scrollY);
    return {x, y, width: Math.ceil(r.right + scrollX) - x, height: Math.ceil(r.bottom + scrollY) - y};
  };
  const all = document.querySelectorAll("body, body *"), elements = [], hidden = [];
  for (const n of all) {
    const b = box(n);
    if (elements.length < 20000 && b.width > 0 && b.height > 0) elements.push({name: name(n), ...b});
  }
  for (const s of masks) for (const n of document.querySelectorAll(s)) hidden.push(box(n));
  let inner = 0; // what is scrolled within the page, by an element that is most of it
  for (const n of all) {
    const more = n.scrollHeight - n.clientHeight;
    if (more > inner && n.clientHeight * 2 >= innerHeight && n.clientWidth * 2 >= innerWidth &&
      /auto|scroll/.test(getComputedStyle(n).overflowY)) inner = more;
  }
  return {width: innerWidth, height: Math.max(innerHeight, document.documentElement.scrollHeight), inner, elements, hidden};
})
