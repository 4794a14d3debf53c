// Put into each page before its own scripts: it keeps what the browser measures, and what is taken out of the document.
// Nothing of it is in the document, and no script of the page meets it by listing what there is.
(() => {
  const seen = {lcp: null, shift: 0, shifts: [], blocking: 0, removed: []};
  Object.defineProperty(window, "__measuredByYellowGate", {value: seen, enumerable: false});
  const name = n => {
    if (!n || !n.tagName) return "";
    const tag = n.tagName.toLowerCase();
    if (n.id) return tag + "#" + n.id;
    return typeof n.className === "string" && n.className.trim() ? tag + "." + n.className.trim().split(/\s+/)[0] : tag;
  };
  const watch = (type, take) => {
    try { new PerformanceObserver(l => l.getEntries().forEach(take)).observe({type, buffered: true}); } catch {}
  };
  watch("largest-contentful-paint", e => { seen.lcp = {at: e.startTime, is: name(e.element) || e.url || ""}; });
  watch("layout-shift", e => {
    if (e.hadRecentInput) return;
    seen.shift += e.value;
    const elements = (e.sources || []).map(s => name(s.node)).filter(Boolean);
    if (seen.shifts.length < 50) seen.shifts.push({value: e.value, elements});
  });
  watch("longtask", e => { seen.blocking += Math.max(0, e.duration - 50); });
  seen.took = (list, by) => {
    for (const m of list) for (const node of m.removedNodes) {
      if (seen.removed.length < 300 && (node.nodeType === 1 || node.nodeType === 8)) {
        let before = m.previousSibling;
        while (before && before.nodeType === 3 && !before.data.trim()) before = before.previousSibling;
        const mark = before && before.nodeType === 8 && /^yg:(.*)$/.exec(before.data);
        seen.removed.push({node, from: name(m.target) || "the document", by, within: mark ? mark[1] : ""});
      }
    }
  };
  seen.changes = new MutationObserver(list => seen.took(list));
  seen.changes.observe(document, {childList: true, subtree: true});
})();
