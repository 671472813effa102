// Runs before a page's own scripts: what moves by the clock or by chance is held still, so that two pictures of one page are the same.
(function () {
  "use strict";
  var now = Date.UTC(2026, 5, 27, 6, 0, 0), seed = 1, Own = Date;
  function Still() {
    if (!(this instanceof Still)) return new Own(now).toString();
    var args = [].slice.call(arguments);
    return args.length ? new (Function.prototype.bind.apply(Own, [null].concat(args)))() : new Own(now);
  }
  Still.prototype = Own.prototype;
  Still.now = function () { return now; };
  Still.parse = Own.parse;
  Still.UTC = Own.UTC;
  window.Date = Still;
  Math.random = function () { seed = (seed * 16807) % 2147483647; return (seed - 1) / 2147483646; };
})();
