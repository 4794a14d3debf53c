// The payment page's own script. Needs the Lantern library before it.
lantern.card('#lantern-card').ready(function (card) {
  document.querySelector('form.pay').onsubmit = function () { return card.complete; };
});
