// Runs before the page's own scripts, in a world of its own, where they cannot reach it.
(() => {
  if (window !== window.top) return;
  const most = 500;
  const seen = (globalThis.harvik = {
    clicked: false, paint: -1, largest: -1, largestElement: "", shifts: [], tasks: [], answers: [], mutations: 0,
  });
  const name = (e) => {
    if (!e || e.nodeType !== 1) e = e?.parentElement;
    if (!e) return "";
    const parts = [];
    for (let at = e; at && at.nodeType === 1 && parts.length < 5; at = at.parentElement) {
      let one = at.localName;
      if (at.id) one += `#${at.id}`;
      else if (typeof at.className === "string" && at.className.trim()) one += `.${at.className.trim().split(/\s+/)[0]}`;
      parts.unshift(one.slice(0, 60));
      if (at.id || at.localName === "body") break;
    }
    return parts.join(" > ");
  };
  seen.name = name;
  const watch = (type, each) => {
    try {
      new PerformanceObserver((list) => list.getEntries().forEach(each)).observe({ type, buffered: true });
    } catch { /* this browser does not tell it */ }
  };
  watch("paint", (e) => {
    if (e.name === "first-contentful-paint") seen.paint = e.startTime;
  });
  watch("largest-contentful-paint", (e) => {
    seen.largest = e.startTime;
    seen.largestElement = e.element ? name(e.element) : e.url;
  });
  watch("layout-shift", (e) => {
    // Nobody touches the page before something is clicked away: what is taken for input is the device being set up.
    if ((e.hadRecentInput && seen.clicked) || seen.shifts.length >= most) return;
    seen.shifts.push({ at: e.startTime, value: e.value, elements: e.sources.slice(0, 3).map((s) => name(s.node)) });
  });
  watch("longtask", (e) => {
    if (seen.tasks.length < most) seen.tasks.push({ at: e.startTime, took: e.duration, by: "" });
  });
  watch("long-animation-frame", (e) => {
    const by = [...e.scripts].sort((a, b) => b.duration - a.duration)[0];
    if (by && seen.tasks.length < most) {
      seen.tasks.push({ at: by.startTime, took: by.duration, by: by.sourceURL || "inline", frame: true });
    }
  });
  // As Event Timing has it: from when somebody taps until what came of it is painted. Its own entries do not come from a
  // browser that shows its pages to nobody.
  for (const type of ["pointerdown", "click"]) {
    addEventListener(type, (e) => {
      if (!e.isTrusted || !e.composedPath().includes(seen.tapped)) return;
      requestAnimationFrame(() => setTimeout(() => seen.answers.push(performance.now() - e.timeStamp)));
    }, { capture: true, passive: true });
  }
  new MutationObserver((list) => {
    seen.mutations += list.length;
  }).observe(document, { subtree: true, childList: true, characterData: true });
})();
