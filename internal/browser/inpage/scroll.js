// Scrolls to the end and back.
new Promise(done => {
  let y = 0;
  (function on() {
    y += innerHeight;
    scrollTo(0, y);
    if (y < document.documentElement.scrollHeight) return setTimeout(on, 60);
    scrollTo(0, 0);
    setTimeout(done, 60);
  })();
})
