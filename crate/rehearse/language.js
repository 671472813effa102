// What the engine lacks of the language (ECMA-262, edition of 2026), as far as scripts can make it up. Async generators,
// and what regular expressions have beyond those of 2018, can't be made up: scripts with those are not sure.
(function () {
  "use strict";
  function hidden(o, k, v) { if (o[k] === undefined) Object.defineProperty(o, k, { value: v, writable: true, configurable: true, enumerable: false }); }
  if (!Symbol.asyncIterator) Object.defineProperty(Symbol, "asyncIterator", { value: Symbol("Symbol.asyncIterator") });
  hidden(Promise, "withResolvers", function () { var r = {}; r.promise = new this(function (resolve, reject) { r.resolve = resolve; r.reject = reject; }); return r; });
  hidden(Promise, "try", function (f) { var args = [].slice.call(arguments, 1); return new this(function (resolve) { resolve(f.apply(undefined, args)); }); });
  hidden(Object, "groupBy", function (list, f) { var o = Object.create(null), i = 0; for (var v of list) { var k = f(v, i++); (o[k] = o[k] || []).push(v); } return o; });
  hidden(Map, "groupBy", function (list, f) { var m = new Map(), i = 0; for (var v of list) { var k = f(v, i++); if (m.has(k)) m.get(k).push(v); else m.set(k, [v]); } return m; });
  hidden(Array, "fromAsync", async function (list, f) {
    var out = [], i = 0;
    if (list[Symbol.asyncIterator]) { var it = list[Symbol.asyncIterator](); for (var r = await it.next(); !r.done; r = await it.next()) out.push(f ? await f(r.value, i++) : r.value); return out; }
    for (var v of Array.from(list)) { v = await v; out.push(f ? await f(v, i++) : v); }
    return out;
  });
  hidden(String.prototype, "isWellFormed", function () { return !/[\uD800-\uDBFF](?![\uDC00-\uDFFF])|(?:[^\uD800-\uDBFF]|^)[\uDC00-\uDFFF]/.test(this); });
  hidden(String.prototype, "toWellFormed", function () { return Array.from(String(this), function (c) { return c.length === 1 && c >= "\uD800" && c <= "\uDFFF" ? "\uFFFD" : c; }).join(""); });
  hidden(RegExp, "escape", function (s) { return s.replace(/[\\^$.*+?()[\]{}|\/]/g, "\\$&"); });
  hidden(Math, "sumPrecise", function (list) { var n = 0; for (var v of list) n += v; return n; });
  function hold(name, C) { if (typeof globalThis[name] === "undefined") Object.defineProperty(globalThis, name, { value: C, writable: true, configurable: true, enumerable: false }); }
  hold("WeakRef", class WeakRef { constructor(o) { if (o === null || typeof o !== "object" && typeof o !== "function" && typeof o !== "symbol") throw new TypeError("WeakRef: target must be an object"); Object.defineProperty(this, "deref", { value: function () { return o; } }); } });
  hold("FinalizationRegistry", class FinalizationRegistry { constructor(f) { if (typeof f !== "function") throw new TypeError("FinalizationRegistry: cleanup must be callable"); } register() {} unregister() { return false; } });

  // Iterators (section 27.1).
  var proto = Object.getPrototypeOf(Object.getPrototypeOf([][Symbol.iterator]()));
  hold("Iterator", function Iterator() { if (new.target === undefined || new.target === globalThis.Iterator) throw new TypeError("Abstract class Iterator not directly constructable"); });
  var Iterator = globalThis.Iterator;
  if (Iterator.prototype !== proto) Object.defineProperty(Iterator, "prototype", { value: proto });
  hidden(Iterator, "from", function (o) { var it = o[Symbol.iterator] ? o[Symbol.iterator]() : o; return proto.isPrototypeOf(it) ? it : (function* () { for (var r = it.next(); !r.done; r = it.next()) yield r.value; })(); });
  function callable(f) { if (typeof f !== "function") throw new TypeError(String(f) + " is not a function"); return f; }
  function number(n) { n = Math.trunc(Number(n)); if (!(n >= 0)) throw new RangeError(n + " must be positive"); return n; }
  hidden(proto, "map", function (f) { callable(f); var it = this; return (function* () { var i = 0; for (var r = it.next(); !r.done; r = it.next()) yield f(r.value, i++); })(); });
  hidden(proto, "filter", function (f) { callable(f); var it = this; return (function* () { var i = 0; for (var r = it.next(); !r.done; r = it.next()) if (f(r.value, i++)) yield r.value; })(); });
  hidden(proto, "take", function (n) { n = number(n); var it = this; return (function* () { for (var i = 0; i < n; i++) { var r = it.next(); if (r.done) return; yield r.value; } })(); });
  hidden(proto, "drop", function (n) { n = number(n); var it = this; return (function* () { for (var i = 0; i < n; i++) if (it.next().done) return; for (var r = it.next(); !r.done; r = it.next()) yield r.value; })(); });
  hidden(proto, "flatMap", function (f) { callable(f); var it = this; return (function* () { var i = 0; for (var r = it.next(); !r.done; r = it.next()) yield* f(r.value, i++); })(); });
  hidden(proto, "reduce", function (f, start) {
    callable(f);
    var has = arguments.length > 1, v = start, i = 0;
    for (var r = this.next(); !r.done; r = this.next(), i++) if (has) v = f(v, r.value, i); else { v = r.value; has = true; }
    if (!has) throw new TypeError("Reduce of empty iterator with no initial value");
    return v;
  });
  hidden(proto, "toArray", function () { var out = []; for (var r = this.next(); !r.done; r = this.next()) out.push(r.value); return out; });
  hidden(proto, "forEach", function (f) { callable(f); var i = 0; for (var r = this.next(); !r.done; r = this.next()) f(r.value, i++); });
  hidden(proto, "some", function (f) { callable(f); var i = 0; for (var r = this.next(); !r.done; r = this.next()) if (f(r.value, i++)) return true; return false; });
  hidden(proto, "every", function (f) { callable(f); var i = 0; for (var r = this.next(); !r.done; r = this.next()) if (!f(r.value, i++)) return false; return true; });
  hidden(proto, "find", function (f) { callable(f); var i = 0; for (var r = this.next(); !r.done; r = this.next()) if (f(r.value, i++)) return r.value; });
})
