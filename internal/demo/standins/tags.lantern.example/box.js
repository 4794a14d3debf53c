// A stand-in for a tag container: one script in the page, and behind it whatever somebody clicked
// together elsewhere. None of this is in the page source.
(function () {
  function load(url) {
    var s = document.createElement("script");
    s.src = url;
    document.head.append(s);
  }
  load("https://tags.lantern.example/replay.js");       // records what visitors do
  load("https://tags.lantern.example/last-summer.js");  // gone since, and nobody noticed
  new Image().src = "https://campaign.lantern.example/booked.gif"; // meant for the thank-you page
  document.title = "★ " + document.title;
  document.cookie = "lantern=7; path=/; max-age=31536000; secure";
})();
