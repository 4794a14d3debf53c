/* domkit compatibility: names from before 1.0 */
window.DomKit = window.domkit;
window.domkit.ready = function (f) { document.addEventListener('DOMContentLoaded', f); };
