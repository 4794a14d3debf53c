// Says which stars are up. Needs starcalc and, for the menu, domkit.
document.getElementById('sky').textContent = starcalc.up(new Date());
domkit('.sky-menu li').each(function (li) {
  li.onclick = function () { document.getElementById('sky').textContent = starcalc.up(new Date(), li.textContent); };
});
