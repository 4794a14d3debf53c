// Marks the page you are on in the menu.
for (const a of document.querySelectorAll('.menu a')) {
  if (a.pathname === location.pathname) a.setAttribute('aria-current', 'page');
}
