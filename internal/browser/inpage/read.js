// What only a script can ask of the document once it is at rest.
async function read() {
  const seen = window.__measuredByYellowGate || {};
  const paint = performance.getEntriesByName("first-contentful-paint")[0];
  const navigation = performance.getEntriesByType("navigation")[0] || {};
  return {
    first: paint ? paint.startTime : 0,
    largest: seen.lcp ? seen.lcp.at : 0,
    is: seen.lcp ? seen.lcp.is : "",
    shift: seen.shift || 0,
    shifts: seen.shifts || [],
    blocking: seen.blocking || 0,
    nodes: document.getElementsByTagName("*").length,
    loaded: navigation.loadEventEnd || 0,
    lang: document.documentElement.lang,
    title: document.title,
    url: location.href,
    removed: removed(),
    dialogs: covering(),
  };
}
