// Scrolls to the end, and has every picture loaded on the way.
(async () => {
  const root = document.documentElement;
  for (const i of document.querySelectorAll("[loading=lazy]")) i.loading = "eager";
  for (let y = 0; y < root.scrollHeight && y < 20000; y += innerHeight) {
    scrollTo(0, y);
    await new Promise(requestAnimationFrame);
  }
  const late = new Promise(done => setTimeout(done, 3000));
  await Promise.race([Promise.allSettled([...document.images].map(i => i.decode())), late]);
})()
