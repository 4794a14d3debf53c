// Waits until something of the page is drawn, where there is something, and its scripts have nothing to do.
new Promise(done => {
  const begun = performance.now();
  (function look() {
    const drawn = performance.getEntriesByName("first-contentful-paint").length > 0;
    const something = document.body && document.body.innerText.trim();
    if (something && !drawn && performance.now() - begun < 2000) return setTimeout(look, 20);
    requestIdleCallback(done, {timeout: 5000});
  })();
})
