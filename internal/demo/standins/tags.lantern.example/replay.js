// A stand-in for a recorder of sessions: large, hardly used, and it breaks on pages that have no menu
// of its own kind. What is large about it is put below when it is asked for.
document.querySelector("#replay-menu").addEventListener("click", function () {});
