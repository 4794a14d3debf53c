// Where an element that a selector matches stands on the screen, as [x, y]; it is scrolled to.
((selector, i) => {
  const can = [...document.querySelectorAll(selector)].filter(e => e.getClientRects().length > 0);
  if (i >= can.length) return null;
  can[i].scrollIntoView({block: "center", behavior: "instant"});
  const r = can[i].getBoundingClientRect();
  return [r.x + r.width / 2, r.y + r.height / 2];
})
