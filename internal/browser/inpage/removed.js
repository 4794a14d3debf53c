// What was taken out of the document and did not come back: marks of items, and elements that load.
function removed() {
  const out = [], most = 300;
  for (const {node, from, by, within} of (window.__measuredByYellowGate || {}).removed || []) {
    if (node.isConnected || out.length >= most) continue;
    if (within && node.nodeType === 1) out.push({tag: node.localName, within, from, by});
    const walker = document.createTreeWalker(node, NodeFilter.SHOW_COMMENT | NodeFilter.SHOW_ELEMENT);
    for (let n = node; n && out.length < most; n = walker.nextNode()) {
      const mark = n.nodeType === 8 && /^yg:(.*)$/.exec(n.data);
      if (mark) out.push({mark: mark[1], from, by});
      else if (n.nodeType === 1 && /^(SCRIPT|STYLE|LINK|META|TITLE|DIALOG|IFRAME|IMG)$/.test(n.tagName)) {
        out.push({tag: n.localName, url: n.getAttribute("src") || n.getAttribute("href") || "", from, by});
      }
    }
  }
  return out;
}
