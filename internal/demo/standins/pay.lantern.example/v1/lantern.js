// A stand-in for the library of a payment vendor: a card field that takes any twelve digits.
window.lantern = {
  card: function (selector) {
    var box = document.querySelector(selector);
    var card = { complete: false };
    if (box) {
      box.innerHTML = '<label>Card number <input inputmode="numeric" autocomplete="off" placeholder="0000 0000 0000"></label> <small>a stand-in: nothing is paid</small>';
      box.querySelector("input").addEventListener("input", function () {
        card.complete = this.value.replace(/\D/g, "").length >= 12;
      });
    }
    return { ready: function (then) { then(card); } };
  },
};
