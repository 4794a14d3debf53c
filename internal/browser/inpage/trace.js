// Put into a page after observe.js where it is to be known which script takes something out: every road by which a
// script can remove nodes says who called.
(() => {
  const seen = window.__measuredByYellowGate;
  const caller = () => { // the innermost script with an address
    const at = /(https?:\/\/[^\s()]+):(\d+):\d+/.exec(new Error().stack || "");
    return at ? {url: at[1], line: +at[2]} : undefined;
  };
  const say = method => function (...given) {
    seen.took(seen.changes.takeRecords());
    try { return method.apply(this, given); } finally {
      const list = seen.changes.takeRecords();
      if (list.some(m => m.removedNodes.length)) seen.took(list, caller());
    }
  };
  const wrap = (of, names) => {
    for (const name of names) {
      const is = of && Object.getOwnPropertyDescriptor(of.prototype, name);
      if (is && typeof is.value === "function") Object.defineProperty(of.prototype, name, {...is, value: say(is.value)});
      else if (is && is.set) Object.defineProperty(of.prototype, name, {...is, set: say(is.set)});
    }
  };
  wrap(Node, ["removeChild", "replaceChild", "appendChild", "insertBefore", "textContent"]);
  wrap(Element, ["remove", "replaceWith", "replaceChildren", "innerHTML", "outerHTML", "setHTML", "setHTMLUnsafe",
    "append", "prepend", "before", "after", "insertAdjacentElement", "moveBefore"]);
  wrap(HTMLElement, ["innerText", "outerText"]);
  wrap(ShadowRoot, ["innerHTML", "setHTML", "setHTMLUnsafe"]);
  wrap(CharacterData, ["remove", "replaceWith", "before", "after"]);
  wrap(Document, ["write", "open", "replaceChildren", "append", "prepend"]);
  wrap(DocumentFragment, ["append", "prepend", "replaceChildren"]);
  wrap(Range, ["deleteContents", "extractContents", "surroundContents", "insertNode"]);
})();
