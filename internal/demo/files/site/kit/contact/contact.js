/* contact kit: keeps an unsent question while you look around */
(function () {
  var form = document.querySelector('form.contact');
  if (!form) return;
  var box = form.querySelector('textarea');
  box.value = sessionStorage.getItem('question') || '';
  box.addEventListener('input', function () { sessionStorage.setItem('question', box.value); });
})();
