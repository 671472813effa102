// Lists what on a page keeps people from it, after the Web Content Accessibility Guidelines 2.2: 1.1.1, 1.3.1, 1.4.3, 1.4.10, 2.1.1, 2.4.2, 3.1.1, 4.1.2.
(() => {
  const faults = [];
  const all = (selector) => [...document.querySelectorAll(selector)];
  const where = (e) => e.tagName.toLowerCase() + (e.className && typeof e.className === "string" ? "." + e.className.split(" ").join(".") : "") + " " + JSON.stringify((e.textContent || "").trim().slice(0, 40));
  if (!document.documentElement.lang) faults.push("the page has no language");
  if (!document.title.trim()) faults.push("the page has no title");
  if (all("main").length !== 1) faults.push("the page has " + all("main").length + " main parts");
  if (all("h1").length !== 1) faults.push("the page has " + all("h1").length + " first headings");
  let level = 0;
  for (const h of all("h1,h2,h3,h4,h5,h6")) {
    const n = Number(h.tagName[1]);
    if (n > level + 1) faults.push("a heading leaves a level out: " + where(h));
    if (!h.textContent.trim()) faults.push("a heading is empty");
    level = n;
  }
  for (const i of all("img")) if (!i.alt.trim()) faults.push("a picture has no text: " + i.outerHTML.slice(0, 80));
  for (const s of all("svg")) if (s.getAttribute("aria-hidden") !== "true" && !(s.getAttribute("role") === "img" && (s.getAttribute("aria-label") || s.querySelector("title")))) faults.push("a drawing has no text: " + s.outerHTML.slice(0, 80));
  for (const a of all("a,button,summary")) if (!a.textContent.trim() && !a.getAttribute("aria-label")) faults.push("a control has no name: " + a.outerHTML.slice(0, 80));
  for (const f of all("figure[role]")) if (!/^(?:group|none|presentation|img)$/.test(f.getAttribute("role"))) faults.push("a figure has a role that it can't have: " + f.getAttribute("role"));
  for (const t of all("table")) if (!t.querySelector("th")) faults.push("a table has no headings: " + where(t));
  for (const r of all("body *")) {
    const style = getComputedStyle(r);
    if (/auto|scroll/.test(style.overflowY + style.overflowX) && (r.scrollHeight > r.clientHeight + 1 || r.scrollWidth > r.clientWidth + 1) && !(r.tabIndex >= 0 && r.getAttribute("role") && r.getAttribute("aria-label"))) faults.push("what scrolls can't be reached by key, or has no name: " + where(r));
  }
  const ids = all("[id]").map((e) => e.id);
  for (const id of ids) if (ids.indexOf(id) !== ids.lastIndexOf(id)) faults.push("two elements have the id " + id);
  for (const e of document.body.children) if (!["MAIN", "HEADER", "FOOTER", "NAV", "SCRIPT", "STYLE"].includes(e.tagName)) faults.push("it stands in no part of the page: " + where(e));
  const parse = (c) => { const n = c.match(/[\d.]+/g).map(Number); return { r: n[0], g: n[1], b: n[2], a: n.length > 3 ? n[3] : 1 }; };
  const over = (top, under) => ({ r: top.r * top.a + under.r * (1 - top.a), g: top.g * top.a + under.g * (1 - top.a), b: top.b * top.a + under.b * (1 - top.a), a: 1 });
  const light = (c) => { const f = (v) => { v /= 255; return v <= 0.04045 ? v / 12.92 : ((v + 0.055) / 1.055) ** 2.4; }; return 0.2126 * f(c.r) + 0.7152 * f(c.g) + 0.0722 * f(c.b); };
  const told = new Set();
  const walk = document.createTreeWalker(document.body, NodeFilter.SHOW_TEXT);
  for (let n = walk.nextNode(); n; n = walk.nextNode()) {
    const e = n.parentElement;
    if (!n.data.trim() || !e.checkVisibility()) continue;
    const style = getComputedStyle(e);
    const behind = [];
    for (let a = e; a; a = a.parentElement) behind.push(parse(getComputedStyle(a).backgroundColor));
    const ground = behind.reverse().reduce((under, top) => over(top, under), { r: 255, g: 255, b: 255, a: 1 });
    const ink = over(parse(e.closest("svg") ? style.fill : style.color), ground);
    const [a, b] = [light(ink), light(ground)].sort((x, y) => y - x);
    const size = parseFloat(style.fontSize), large = size >= 24 || (size >= 18.66 && Number(style.fontWeight) >= 700);
    const ratio = (a + 0.05) / (b + 0.05);
    if (ratio < (large ? 3 : 4.5) && !told.has(style.color + style.fill)) { told.add(style.color + style.fill); faults.push("too little contrast, " + ratio.toFixed(2) + ": " + where(e)); }
  }
  if (document.scrollingElement.scrollWidth > innerWidth) faults.push("the page is wider than the window: " + document.scrollingElement.scrollWidth + " of " + innerWidth);
  return faults;
})()
