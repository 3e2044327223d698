// Reads what stands on the page once it is done. It changes nothing.
((mostHTML, phone) => {
  const seen = globalThis.harvik || { shifts: [], tasks: [], paint: -1, largest: -1, largestElement: "" };
  const name = seen.name || ((e) => e.localName);
  // What components keep in shadow trees stands where it is shown: the tree is copied into a document that does nothing.
  const inert = document.implementation.createHTMLDocument("");
  const flat = (n) => {
    const copy = inert.importNode(n, n.localName === "template");
    if (n.localName === "template") return copy;
    const slotted = n.localName === "slot" && n.getRootNode() !== document ? n.assignedNodes() : [];
    for (const c of n.shadowRoot ? n.shadowRoot.childNodes : slotted.length ? slotted : n.childNodes) copy.append(flat(c));
    return copy;
  };
  const roots = [...document.querySelectorAll("*")].some((e) => e.shadowRoot);
  const html = (document.doctype ? "<!DOCTYPE html>" : "") +
    (roots ? flat(document.documentElement) : document.documentElement).outerHTML;
  if (html.length > mostHTML) return { tooLarge: html.length };
  const width = window.innerWidth, height = window.innerHeight, ratio = window.devicePixelRatio;
  const nav = performance.getEntriesByType("navigation")[0];
  const out = {
    html,
    speed: {
      firstByte: nav ? nav.responseStart : -1,
      loaded: nav && nav.loadEventStart > 0 ? nav.loadEventStart : -1,
      paint: seen.paint,
      largest: seen.largest,
      largestElement: seen.largestElement,
      shifts: seen.shifts,
      tasks: seen.tasks,
      holding: performance.getEntriesByType("resource").filter((e) => e.renderBlockingStatus === "blocking")
        .map((e) => e.name).slice(0, 20),
    },
    fit: { width: phone ? screen.width : width, content: 0, wide: "", targets: 0, small: [], smallMore: 0, text: 0, smallText: 0 },
    images: [],
    covers: "",
    seen: [],
  };
  const shown = (e) => {
    const style = getComputedStyle(e);
    return style.visibility === "visible" && style.display !== "none" && Number(style.opacity) > 0.01;
  };

  const fit = out.fit;
  fit.content = Math.ceil(document.documentElement.scrollWidth);
  if (fit.content > fit.width + 1 && document.body) {
    let furthest = 0;
    for (const e of [...document.body.querySelectorAll("*")].slice(0, 5000)) {
      const box = e.getBoundingClientRect();
      const right = box.right + window.scrollX;
      if (box.width > 0 && right > fit.width + 1 && right > furthest + 1 && shown(e)) {
        furthest = right;
        fit.wide = `${name(e)} (${Math.round(box.width)} px)`;
      }
    }
  }
  const can = "a[href], button, input:not([type=hidden]), select, textarea, summary, [role=button], [role=link], [onclick]";
  const boxes = [];
  for (const e of [...document.querySelectorAll(can)].slice(0, 2000)) {
    const box = e.getBoundingClientRect();
    if (box.width < 1 || box.height < 1 || !shown(e)) continue;
    boxes.push({ e, box });
  }
  fit.targets = boxes.length;
  // WCAG 2.2, 2.5.8: at least 24 by 24, or alone within such a square; links in a sentence are let be.
  for (const { e, box } of boxes) {
    if (box.width >= 24 && box.height >= 24) continue;
    if (e.localName === "a" && getComputedStyle(e).display === "inline" &&
      [...(e.parentElement?.childNodes || [])].some((n) => n.nodeType === 3 && n.data.trim().length > 1)) continue;
    const x = (box.left + box.right) / 2, y = (box.top + box.bottom) / 2;
    const close = boxes.some((o) => o.e !== e && !o.e.contains(e) && !e.contains(o.e) &&
      o.box.left < x + 12 && o.box.right > x - 12 && o.box.top < y + 12 && o.box.bottom > y - 12);
    if (!close && (box.width >= 12 && box.height >= 12)) continue;
    if (fit.small.length < 20) fit.small.push(`${name(e)} (${Math.round(box.width)} × ${Math.round(box.height)} px)`);
    else fit.smallMore++;
  }
  if (document.body) {
    const walk = document.createTreeWalker(document.body, NodeFilter.SHOW_TEXT);
    for (let n = walk.nextNode(), i = 0; n && i < 5000; n = walk.nextNode(), i++) {
      const letters = n.data.trim().length, e = n.parentElement;
      if (letters === 0 || !e || ["script", "style", "noscript", "template"].includes(e.localName) || !shown(e)) continue;
      fit.text += letters;
      if (Number.parseFloat(getComputedStyle(e).fontSize) < 12) fit.smallText += letters;
    }
  }

  // Texts that are to be seen, block by block, apart from what stands beside the content.
  const block = "p, li, h1, h2, h3, h4, h5, h6, td, th, dt, dd, blockquote, figcaption, pre, div, section, article, main";
  const beside = "nav, header, footer, aside, dialog, [role=navigation], [role=banner], [role=contentinfo], [role=dialog]";
  let letters = 0;
  for (const e of document.body ? document.body.querySelectorAll(block) : []) {
    const own = [...e.childNodes].some((n) => n.nodeType === 3 && n.data.trim());
    if (!own && (e.querySelector(block) || !e.textContent.trim())) continue;
    if (e.closest(beside) || !e.checkVisibility({ opacityProperty: true, visibilityProperty: true })) continue;
    const text = e.innerText.replace(/\s+/g, " ").trim();
    letters += text.length;
    if (letters > 300_000) {
      out.seen = null;
      break;
    }
    if (text) out.seen.push(text);
  }

  for (const e of [...document.images].slice(0, 500)) {
    const box = e.getBoundingClientRect();
    if (!e.complete || e.naturalWidth < 2 || box.width < 2 || e.srcset || e.closest("picture")) continue;
    if (e.naturalWidth > 2 * box.width * ratio && e.naturalHeight > 2 * box.height * ratio && out.images.length < 20) {
      out.images.push({ address: e.currentSrc || e.src, width: e.naturalWidth, height: e.naturalHeight,
        shown: Math.round(box.width * ratio), shownHeight: Math.round(box.height * ratio) });
    }
  }

  // What stands still over the page, where it covers most of the first view.
  const counts = new Map();
  for (let i = 1; i <= 6; i++) {
    for (let k = 1; k <= 8; k++) {
      let fixed = null;
      for (let at = document.elementFromPoint((width * i) / 7, (height * k) / 9); at; at = at.parentElement) {
        const p = getComputedStyle(at).position;
        if (p === "fixed" || p === "sticky") fixed = at;
      }
      if (fixed) counts.set(fixed, (counts.get(fixed) || 0) + 1);
    }
  }
  for (const [e, n] of counts) {
    if (n >= 24 && !e.querySelector("main, h1, article")) out.covers = name(e);
  }
  return out;
})
