// Runs before a page's own scripts. It passes the first lines of the console on and counts the rest, since a page that writes without
// end would keep the browser's connection busy for all others. Lines that look does not report are counted alone.
(function (limit) {
  "use strict";
  var lines = { reported: 0, quiet: 0 };
  ["error", "warn", "assert"].forEach(function (name) {
    var own = console[name];
    console[name] = function () {
      if (name === "assert" && arguments[0]) return;
      if (++lines.reported <= limit) own.apply(console, arguments);
    };
  });
  ["log", "info", "debug", "dir", "dirxml", "table", "trace", "group", "groupCollapsed", "count", "timeLog", "timeEnd"].forEach(function (name) {
    console[name] = function () { lines.quiet++; };
  });
  Object.defineProperty(window, Symbol.for("merry.console"), {
    get: function () { return Math.max(0, lines.reported - limit) + Math.max(0, lines.quiet - limit); }
  });
})(LIMIT);
//# sourceURL=merry:console
