async function (masks) {
  "use strict";
  var most = { rules: 20000, elements: 4000, text: 400 };
  try { await document.fonts.ready; } catch (e) { /* an old browser */ }
  // Pictures that wait to be scrolled to are wanted, too.
  var images = [].slice.call(document.images, 0, 500);
  images.forEach(function (i) { i.loading = "eager"; });
  await Promise.race([Promise.all(images.map(function (i) { return i.decode().catch(function () {}); })), new Promise(function (r) { setTimeout(r, 3000); })]);
  document.getAnimations && document.getAnimations().forEach(function (a) { try { a.finish(); } catch (e) { a.cancel(); } });
  [].forEach.call(document.querySelectorAll("video,audio"), function (v) { try { v.pause(); v.currentTime = 0; } catch (e) { /* not loaded */ } });
  var style = document.createElement("style");
  style.textContent = "*,*::before,*::after{transition:none!important;caret-color:transparent!important;scroll-behavior:auto!important}" +
    masks.map(function (m) { return m + "{visibility:hidden!important}"; }).join("");
  var sheet = null;
  try { sheet = new CSSStyleSheet(); sheet.replaceSync(style.textContent); document.adoptedStyleSheets = document.adoptedStyleSheets.concat(sheet); } catch (e) { document.head && document.head.append(style); }
  if (document.activeElement && document.activeElement.blur) document.activeElement.blur();

  var rules = [], matched = new Map(), unmatched = [], named = new Set(), unread = [];
  var pseudo = /::?(?:before|after|first-line|first-letter|placeholder|marker|selection|backdrop|file-selector-button|-[\w-]+)(?:\([^)]*\))?/g;
  function read(list, file) {
    for (var i = 0; i < list.length && rules.length < most.rules; i++) {
      var r = list[i];
      if (r.styleSheet) { try { read(r.styleSheet.cssRules, r.styleSheet.href || file); } catch (e) { unread.push(r.href); } continue; }
      if (r.media && r.cssRules && !matchMedia(r.media.mediaText).matches) { names(r.cssRules); continue; }
      if (r.selectorText === undefined) { if (r.cssRules) { if (r.conditionText && !r.media && !CSS.supports(r.conditionText) && /supports/i.test(r.constructor.name)) continue; read(r.cssRules, file); } continue; }
      name(r.selectorText);
      var n = rules.length, found = [];
      rules.push({ selector: r.selectorText, text: r.style.cssText, file: file });
      try { found = document.querySelectorAll(r.selectorText.replace(pseudo, "") || "*"); } catch (e) { /* a selector of another browser */ }
      for (var j = 0; j < found.length && j < 3000; j++) { var l = matched.get(found[j]); if (l) l.push(n); else matched.set(found[j], [n]); }
      if (!found.length) unmatched.push(n);
    }
  }
  function name(selector) { (selector.match(/\.(?:[\w-]|\\.|[^\x00-\x7f])+/g) || []).forEach(function (c) { named.add(c.slice(1).replace(/\\(.)/g, "$1")); }); }
  function names(list) { for (var i = 0; i < list.length; i++) { if (list[i].selectorText !== undefined) name(list[i].selectorText); else if (list[i].cssRules) names(list[i].cssRules); } }
  for (var s = 0; s < document.styleSheets.length; s++) {
    var of = document.styleSheets[s];
    if (of.disabled || of.ownerNode === style || (of.media.mediaText && !matchMedia(of.media.mediaText).matches)) continue;
    try { read(of.cssRules, of.href || ""); } catch (e) { unread.push(of.href || ""); }
  }
  function pathOf(e) {
    var parts = [];
    for (; e && e.nodeType === 1 && e !== document.documentElement; e = e.parentElement) {
      if (e.id) { parts.unshift(e.localName + "#" + e.id); break; }
      var n = 1;
      for (var b = e.previousElementSibling; b; b = b.previousElementSibling) if (b.localName === e.localName) n++;
      parts.unshift(e.localName + (n > 1 || (e.nextElementSibling && e.parentElement.querySelectorAll(":scope > " + CSS.escape(e.localName)).length > 1) ? "(" + n + ")" : ""));
    }
    return parts.join(" > ") || "html";
  }
  var elements = [], lone = new Map(), all = document.querySelectorAll("*");
  for (var k = 0; k < all.length; k++) {
    var e = all[k];
    [].forEach.call(e.classList || [], function (c) { if (!named.has(c)) lone.set(c, (lone.get(c) || 0) + 1); });
    if (elements.length >= most.elements) continue;
    var box = e.getBoundingClientRect();
    if (!box.width || !box.height) continue;
    elements.push({ path: pathOf(e), classes: String(e.getAttribute("class") || "").slice(0, most.text), x: Math.round(box.left + scrollX), y: Math.round(box.top + scrollY), w: Math.round(box.width), h: Math.round(box.height), rules: matched.get(e) || [] });
  }
  var fonts = [];
  document.fonts.forEach(function (f) { if (f.status === "loaded") fonts.push((f.family.replace(/^["']|["']$/g, "") + " " + f.weight + " " + f.style).trim()); });
  return {
    rules: rules, elements: elements, fonts: Array.from(new Set(fonts)).sort(), lone: Array.from(lone.keys()).sort().slice(0, 2000),
    unmatched: unmatched.slice(0, 5000), unread: unread
  };
}
