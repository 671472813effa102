// Added to pages by merry serve, on the way out alone: it loads them again when files change, and tells the terminal what the console says.
(function () {
  "use strict";
  var me = document.currentScript, waiting = [], socket, lost = false, opened = false, tries = 0;
  var limit = 1000, said = 0, more = 0, counting; // a page may write without end: what is beyond the limit is counted
  var state = me ? +me.getAttribute("data-state") : 0;
  if (me) me.remove();

  function full() {
    if (++said <= limit) return false;
    more++;
    if (!counting) counting = setTimeout(function () {
      counting = 0;
      send("warning", more + " more console lines of this page were not sent");
    }, 1000);
    return true;
  }

  function say(kind, text, url, line, column) {
    if (!full()) send(kind, text, url, line, column);
  }

  function send(kind, text, url, line, column) {
    var m = JSON.stringify({ Kind: kind, Page: location.pathname, Text: String(text).slice(0, 4000), URL: url || "", Line: line || 0, Column: column || 0 });
    if (socket && socket.readyState === 1) socket.send(m);
    else if (waiting.length <= limit) waiting.push(m);
  }

  // The first place in a stack that is not here: "at f (URL:LINE:COLUMN)", or "f@URL:LINE:COLUMN".
  function place(stack) {
    var lines = String(stack || "").split("\n");
    for (var i = 0; i < lines.length; i++) {
      var m = /((?:https?|file):\/\/[^\s)]+?):(\d+):(\d+)\)?$/.exec(lines[i].trim());
      if (m && m[1].indexOf("/.merry/desk.js") < 0) return [m[1], +m[2], +m[3]];
    }
    return ["", 0, 0];
  }

  function words(args) {
    return [].map.call(args, function (a) {
      if (a instanceof Error) return String(a);
      if (typeof a === "object" && a) { try { return JSON.stringify(a); } catch (e) { return String(a); } }
      return String(a);
    }).join(" ");
  }

  ["error", "warn"].forEach(function (name) {
    var own = console[name];
    console[name] = function () {
      if (!full()) {
        var at = place(new Error().stack);
        send(name === "warn" ? "warning" : "error", words(arguments), at[0], at[1], at[2]);
      }
      return own.apply(console, arguments);
    };
  });

  addEventListener("error", function (e) {
    var t = e.target;
    if (t && t !== window && t.nodeType === 1) {
      var url = t.currentSrc || t.src || t.href || t.data || "";
      if (!url) return;
      var seen = performance.getEntriesByName(url).pop(), status = seen && seen.responseStatus || 0;
      if (t.integrity && status >= 200 && status < 300) say("blocked", "its bytes do not match its integrity: " + url, url);
      else say("failed", (status ? status + ", " : "") + "could not be loaded: " + url, url);
      return;
    }
    say("error", e.message, e.filename, e.lineno, e.colno);
  }, true);

  addEventListener("unhandledrejection", function (e) {
    var at = place(e.reason && e.reason.stack);
    say("rejection", "a promise was rejected, and nothing handles it: " + words([e.reason]), at[0], at[1], at[2]);
  });

  addEventListener("securitypolicyviolation", function (e) {
    if (e.disposition === "report") return;
    var what = e.blockedURI === "inline" ? "inline code" : e.blockedURI === "eval" ? "a string run as code" : e.blockedURI;
    say("blocked", "the policy forbids " + what + " (" + e.effectiveDirective + ")", e.blockedURI.indexOf(":") > 0 ? e.blockedURI : e.sourceFile, e.blockedURI.indexOf(":") > 0 ? 0 : e.lineNumber, e.blockedURI.indexOf(":") > 0 ? 0 : e.columnNumber);
  });

  if (window.ReportingObserver) {
    new ReportingObserver(function (list) {
      list.forEach(function (r) { say("warning", r.body.message, r.body.sourceFile, r.body.lineNumber, r.body.columnNumber); });
    }, { types: ["deprecation", "intervention"], buffered: true }).observe();
  }

  function swap(paths) {
    var left = paths.slice();
    [].forEach.call(document.querySelectorAll("link[rel~=stylesheet][href]"), function (old) {
      var at = new URL(old.href), of = decodeURI(at.pathname), i = left.indexOf(of);
      if (paths.indexOf(of) < 0 || at.host !== location.host) return;
      if (i >= 0) left.splice(i, 1);
      var fresh = old.cloneNode();
      at.searchParams.set("merry", Date.now());
      fresh.href = at.href;
      fresh.onload = fresh.onerror = function () { old.remove(); };
      old.after(fresh);
    });
    // One that another stylesheet imports comes with the page.
    var loaded = performance.getEntriesByType("resource").some(function (r) {
      var at = new URL(r.name);
      return at.host === location.host && left.indexOf(decodeURI(at.pathname)) >= 0;
    });
    if (loaded) location.reload();
  }

  // A page of an older state comes from a service worker's cache. The worker is asked to update, once for each state.
  function stale(now) {
    var workers = navigator.serviceWorker;
    if (!(state < now) || !workers || !workers.controller) return;
    function old() { send("warning", "the browser shows an old copy of this page: a service worker answers from its cache"); }
    try {
      if (sessionStorage.getItem("merry-state") === String(now)) { old(); return; }
      sessionStorage.setItem("merry-state", now);
    } catch (e) { old(); return; }
    workers.getRegistration().then(function (r) { return r && r.update(); }).then(function () { location.reload(); }, old);
  }

  function open() {
    socket = new WebSocket("ws://" + location.host + "/.merry/live");
    socket.onopen = function () {
      if (opened && lost) { location.reload(); return; } // the server was begun anew
      opened = true;
      waiting.splice(0).forEach(function (m) { socket.send(m); });
    };
    socket.onmessage = function (e) {
      var o = JSON.parse(e.data);
      if (o.do === "hello") stale(o.state);
      else if (o.do === "styles") swap(o.paths);
      else location.reload();
    };
    socket.onclose = function () {
      lost = true;
      if (opened || ++tries < 3) setTimeout(open, 1000); // else a policy forbids it
    };
  }
  try { open(); } catch (e) { /* a policy forbids it */ }
})();
