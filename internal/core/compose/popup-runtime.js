(function () {
  var doc = document, root = doc.documentElement;
  doc.querySelectorAll("dialog[data-yg-open]").forEach(function (box) {
    var key = "yg:" + box.id, again = box.dataset.ygAgain, seen;
    function store() { return again == "visit" ? sessionStorage : localStorage; }
    function may() {
      try { seen = store().getItem(key) || seen; } catch (e) {}
      return !seen || again == "always" || again > 0 && Date.now() - seen >= again * 1e3;
    }
    function show(byItself) {
      if (box.open || byItself && (!may() || doc.querySelector("dialog[open]"))) return;
      seen = Date.now();
      try { store().setItem(key, seen); } catch (e) {}
      box.showModal();
      if (!matchMedia("(prefers-reduced-motion: reduce)").matches) box.animate({ opacity: [0, 1] }, 200);
    }
    function alone() { show(1); }
    box.addEventListener("click", function (e) {
      var r = box.getBoundingClientRect(), x = e.clientX, y = e.clientY;
      if (e.target.closest("[data-yg-close]") || e.target == box && (x < r.left || x > r.right || y < r.top || y > r.bottom)) box.close();
    });
    JSON.parse(box.dataset.ygOpen).forEach(function (o) {
      var how = o[0], v = o[1];
      function named() { if (location.hash == "#" + v) show(); }
      function loaded(f) { doc.readyState == "complete" ? f() : addEventListener("load", f); }
      if (how == "after") loaded(function () { setTimeout(alone, v * 1e3); });
      else if (how == "scroll") addEventListener("scroll", function () {
        var m = root.scrollHeight - innerHeight;
        if (m > 0 && scrollY / m * 100 >= v) alone();
      }, { passive: true });
      else if (how == "leaving") root.addEventListener("mouseleave", function (e) { if (e.clientY <= 0) alone(); });
      else if (how == "click") doc.addEventListener("click", function (e) {
        if (e.target.closest(v)) { e.preventDefault(); show(); }
      });
      else {
        addEventListener("hashchange", named);
        box.addEventListener("close", function () {
          if (location.hash == "#" + v) history.replaceState(null, "", location.pathname + location.search);
        });
        loaded(named);
      }
    });
  });
})();
