// Shows one slide after the other. Needs domkit.
domkit('.slides').each(function (box) {
  var all = domkit('figure', box).list, now = 0;
  if (!all.length) return;
  box.classList.add('on');
  all[0].classList.add('now');
  setInterval(function () {
    all[now].classList.remove('now');
    now = (now + 1) % all.length;
    all[now].classList.add('now');
  }, 1000 * (box.getAttribute('data-every') || 5));
});
