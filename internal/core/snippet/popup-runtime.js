(function (doc, root, link, typed) {
  var on = (to, event, f, all) => to.addEventListener(event, f, all);
  var up = (e, s) => e.target.closest?.(s);
  on(doc, "click", e => link = up(e, "a"), true);
  on(doc, "input", () => typed = Date.now());
  doc.querySelectorAll("dialog[data-yg-open]").forEach(box => {
    var key = "yg:" + box.id, again = box.dataset.ygAgain, seen, back, named, down;
    var store = () => again == "visit" ? sessionStorage : localStorage;
    function may() {
      try { seen = store().getItem(key) || seen; } catch {}
      return !seen || again == "always" || again > 0 && Date.now() - seen >= again * 1e3;
    }
    function show(auto) {
      if (box.open || auto && (!may() || doc.querySelector("dialog[open]"))) return;
      if (auto && Date.now() - typed < 2e3) return setTimeout(self, 500);
      seen = Date.now();
      try { store().setItem(key, seen); } catch {}
      back = !auto && link;
      box.showModal();
      if (!matchMedia("(prefers-reduced-motion)").matches) box.animate({ opacity: [0, 1] }, 200);
    }
    var self = () => show(1);
    on(box, "close", () => { if (back) back.focus(); });
    function out(e) {
      var r = box.getBoundingClientRect(), x = e.clientX, y = e.clientY;
      return e.target == box && (x < r.left || x > r.right || y < r.top || y > r.bottom);
    }
    on(box, "mousedown", e => down = out(e));
    on(box, "click", e => { if (up(e, "[data-yg-close]") || down && out(e)) box.close(); });
    JSON.parse(box.dataset.ygOpen).forEach(o => {
      var how = o[0], v = o[1];
      function hash() {
        if (location.hash == "#" + v) named = 1, show();
        else if (named) box.close();
      }
      var loaded = f => doc.readyState == "complete" ? f() : on(window, "load", f);
      if (how == "after") loaded(() => setTimeout(self, v * 1e3));
      else if (how == "scroll") on(window, "scroll", () => {
        var m = root.scrollHeight - innerHeight;
        if (scrollY / m * 100 >= v) self();
      });
      else if (how == "leaving") on(root, "mouseleave", e => { if (e.clientY <= 0) self(); });
      else if (how == "click") on(doc, "click", e => {
        if (!(e.ctrlKey || e.metaKey || e.shiftKey) && up(e, v)) { e.preventDefault(); show(); }
      });
      else {
        on(window, "hashchange", hash);
        on(box, "close", () => {
          named = 0;
          if (location.hash == "#" + v) history.replaceState(null, "", location.pathname + location.search);
        });
        loaded(hash);
      }
    });
  });
})(document, document.documentElement);
