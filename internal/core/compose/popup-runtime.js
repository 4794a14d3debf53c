(function (doc, root, link, typed) {
  function on(to, event, f, all) { to.addEventListener(event, f, all); }
  on(doc, "click", function (e) { link = e.target.closest("a"); }, true);
  on(doc, "input", function () { typed = Date.now(); });
  doc.querySelectorAll("dialog[data-yg-open]").forEach(function (box) {
    var key = "yg:" + box.id, again = box.dataset.ygAgain, seen, back, named;
    function store() { return again == "visit" ? sessionStorage : localStorage; }
    function may() {
      try { seen = store().getItem(key) || seen; } catch (e) {}
      return !seen || again == "always" || again > 0 && Date.now() - seen >= again * 1e3;
    }
    function show(auto) {
      if (box.open || auto && (!may() || doc.querySelector("dialog[open]"))) return;
      if (auto && Date.now() - typed < 2e3) return setTimeout(self, 500);
      seen = Date.now();
      try { store().setItem(key, seen); } catch (e) {}
      back = !auto && link;
      box.showModal();
      if (!matchMedia("(prefers-reduced-motion)").matches) box.animate({ opacity: [0, 1] }, 200);
    }
    function self() { show(1); }
    on(box, "close", function () { if (back) back.focus(); });
    on(box, "click", function (e) {
      var r = box.getBoundingClientRect(), x = e.clientX, y = e.clientY;
      if (e.target.closest("[data-yg-close]") || e.target == box && (x < r.left || x > r.right || y < r.top || y > r.bottom)) box.close();
    });
    JSON.parse(box.dataset.ygOpen).forEach(function (o) {
      var how = o[0], v = o[1];
      function hash() {
        if (location.hash == "#" + v) named = 1, show();
        else if (named) box.close();
      }
      function loaded(f) { doc.readyState == "complete" ? f() : on(window, "load", f); }
      if (how == "after") loaded(function () { setTimeout(self, v * 1e3); });
      else if (how == "scroll") on(window, "scroll", function () {
        var m = root.scrollHeight - innerHeight;
        if (scrollY / m * 100 >= v) self();
      });
      else if (how == "leaving") on(root, "mouseleave", function (e) { if (e.clientY <= 0) self(); });
      else if (how == "click") on(doc, "click", function (e) {
        if (e.target.closest(v)) { e.preventDefault(); show(); }
      });
      else {
        on(window, "hashchange", hash);
        on(box, "close", function () {
          named = 0;
          if (location.hash == "#" + v) history.replaceState(null, "", location.pathname + location.search);
        });
        loaded(hash);
      }
    });
  });
})(document, document.documentElement);
