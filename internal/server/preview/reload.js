// Loads the page again when the gate file or the site has changed since it was made.
(function () {
  var made = document.currentScript.src.split("?")[1];
  var events = new EventSource("/.yellowgate/events");
  events.onmessage = function (e) {
    if (e.data !== made) {
      events.close();
      location.reload();
    }
  };
  addEventListener("pagehide", function () { events.close(); });
})();
