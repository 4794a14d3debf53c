// What a document, of the page or of a frame, wrote down in the browser, besides cookies.
async function stored() {
  const keys = s => { try { return Object.keys(window[s]); } catch { return []; } };
  const soon = async (list, name) => { // neither is there without TLS
    const late = new Promise(done => setTimeout(done, 500, []));
    try { return await Promise.race([late, list().then(l => l.map(name))]); } catch { return []; }
  };
  return {
    host: self.origin === "null" ? "" : new URL(self.origin).hostname, // a frame of a text has its parent's
    local: keys("localStorage"),
    session: keys("sessionStorage"),
    database: await soon(() => indexedDB.databases(), d => d.name),
    cache: await soon(() => caches.keys(), k => k),
  };
}
