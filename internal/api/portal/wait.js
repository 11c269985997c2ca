// A guest who waits is shown how he stands once that is another: the page is asked for again and again, and loaded anew then.
const page = document.querySelector("main");
setInterval(async () => {
  try {
    const r = await fetch(location.href, { cache: "no-store" });
    const now = new DOMParser().parseFromString(await r.text(), "text/html").querySelector("main");
    if (now && now.dataset.state !== page.dataset.state) location.reload();
  } catch {
    // it is tried again
  }
}, 4000);
