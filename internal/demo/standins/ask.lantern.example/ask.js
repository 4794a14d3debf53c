// A stand-in for a consent banner: it covers the page, and holds a tag back until somebody agrees.
document.addEventListener("DOMContentLoaded", function () {
  var ask = document.createElement("dialog");
  ask.id = "ask";
  ask.innerHTML = "<p>May we count you?</p> <button>Yes</button> <button>No</button>";
  document.body.append(ask);
  var yes = ask.querySelector("button");
  yes.addEventListener("click", function () { new Image().src = "https://campaign.lantern.example/agreed.gif"; });
  ask.querySelectorAll("button").forEach(function (b) { b.addEventListener("click", function () { ask.close(); }); });
  ask.showModal();
});
