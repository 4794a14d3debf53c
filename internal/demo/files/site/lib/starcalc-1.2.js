/* starcalc 1.2: which bright stars are up */
window.starcalc = {
  version: '1.2',
  up: function (when, where) {
    var stars = ['Vega', 'Deneb', 'Altair', 'Arcturus', 'Capella', 'Rigel', 'Sirius'];
    var n = when.getMonth();
    return (where ? where + ': ' : '') + stars[n % 7] + ', ' + stars[(n + 2) % 7] + ', ' + stars[(n + 3) % 7];
  }
};
