// What the page would look like anyhow in a moment: animations are at their end, and no caret blinks. It says how many
// ran, and the names of all properties.
(() => {
  const still = new CSSStyleSheet();
  still.replaceSync("* { caret-color: transparent !important }");
  document.adoptedStyleSheets = [...document.adoptedStyleSheets, still];
  const running = document.getAnimations();
  for (const a of running) { try { a.finish(); } catch { try { a.cancel(); } catch {} } }
  const properties = [...getComputedStyle(document.documentElement)].filter(p => !p.startsWith("--"));
  return {running: running.length, properties};
})()
