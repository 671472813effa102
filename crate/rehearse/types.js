// Trusted types (Trusted Types, sections 2 to 4), where a page's policy demands or limits them: what makes markup or code
// of a text takes a text only from a policy of the scripts' own.
(function (root, rules) {
  "use strict";
  var made = new WeakMap(), byDefault = null, names = [];
  function kind(name) {
    var C = root[name] = class { constructor() { throw new TypeError("Illegal constructor"); } toString() { return made.get(this); } toJSON() { return made.get(this); } };
    Object.defineProperty(C, "name", { value: name });
    return C;
  }
  var HTML = kind("TrustedHTML"), Script = kind("TrustedScript"), Address = kind("TrustedScriptURL");
  function trusted(C, text) { var t = Object.create(C.prototype); made.set(t, String(text)); return t; }
  function refused(method, name) { return new TypeError("Failed to execute '" + method + "' on 'TrustedTypePolicyFactory': " + name); }
  root.trustedTypes = {
    createPolicy: function (name, of) {
      name = String(name);
      if (rules.names && !(rules.names.indexOf("*") >= 0 || rules.names.indexOf(name) >= 0)) throw refused("createPolicy", "Policy \"" + name + "\" disallowed.");
      if (names.indexOf(name) >= 0 && (name === "default" || rules.names && rules.names.indexOf("'allow-duplicates'") < 0)) throw refused("createPolicy", "Policy with name \"" + name + "\" already exists.");
      names.push(name);
      var make = function (C, method) { return function (s) { if (typeof of[method] !== "function") throw new TypeError("Policy " + name + "'s TrustedTypePolicyOptions did not specify a '" + method + "' member."); return trusted(C, of[method].apply(of, arguments)); }; };
      var policy = { name: name, createHTML: make(HTML, "createHTML"), createScript: make(Script, "createScript"), createScriptURL: make(Address, "createScriptURL") };
      if (name === "default") byDefault = of;
      return policy;
    },
    isHTML: function (v) { return v instanceof HTML; }, isScript: function (v) { return v instanceof Script; }, isScriptURL: function (v) { return v instanceof Address; },
    emptyHTML: trusted(HTML, ""), emptyScript: trusted(Script, ""), get defaultPolicy() { return byDefault; }, getAttributeType: function () { return null; }, getPropertyType: function () { return null; }
  };
  if (!rules.required) return;
  // What a place that takes markup or code gets of a value.
  var passing = 0; // a value that was taken goes on to others of these places
  function taken(C, name, method, v) {
    if (passing) return v;
    if (v instanceof C) return String(v);
    var made = byDefault && typeof byDefault[method] === "function" ? byDefault[method](String(v), name, "") : null;
    if (made === null || made === undefined) throw new TypeError("This document requires '" + C.name + "' assignment.");
    return String(made);
  }
  function markup(v) { return taken(HTML, "TrustedHTML", "createHTML", v); }
  function code(v) { return taken(Script, "TrustedScript", "createScript", v); }
  function address(v) { return taken(Address, "TrustedScriptURL", "createScriptURL", v); }
  function setter(proto, k, guard, when) {
    var from = proto;
    while (from && !Object.getOwnPropertyDescriptor(from, k)) from = Object.getPrototypeOf(from);
    var d = from && Object.getOwnPropertyDescriptor(from, k);
    if (d && d.set) Object.defineProperty(proto, k, { get: d.get, set: function (v) { v = when && !when(this) ? v : guard(v); passing++; try { d.set.call(this, v); } finally { passing--; } }, enumerable: d.enumerable, configurable: true });
  }
  function method(proto, k, at, guard, when) {
    var f = proto && proto[k];
    if (f) proto[k] = function () { var a = [].slice.call(arguments); if (a.length <= at || when && !when(this, a)) return f.apply(this, a); a[at] = guard(a[at]); passing++; try { return f.apply(this, a); } finally { passing--; } };
  }
  ["innerHTML", "outerHTML"].forEach(function (k) { setter(root.Element.prototype, k, markup); });
  setter(root.ShadowRoot.prototype, "innerHTML", markup);
  method(root.Element.prototype, "insertAdjacentHTML", 1, markup);
  method(root.Element.prototype, "setHTMLUnsafe", 0, markup);
  method(root.Range.prototype, "createContextualFragment", 0, markup);
  method(root.DOMParser && root.DOMParser.prototype, "parseFromString", 0, markup);
  method(root.Document.prototype, "write", 0, markup);
  method(root.Document.prototype, "writeln", 0, markup);
  var script = root.document.createElement("script");
  function isScript(e) { return e.localName === "script"; }
  setter(Object.getPrototypeOf(script), "src", address, isScript);
  ["text", "textContent", "innerText", "innerHTML"].forEach(function (k) { setter(Object.getPrototypeOf(script), k, code, isScript); });
  method(root.Element.prototype, "setAttribute", 1, code, function (e, a) { return /^on/i.test(a[0]); });
  method(root.Element.prototype, "setAttribute", 1, address, function (e, a) { return isScript(e) && /^src$/i.test(a[0]); });
  method(root.Element.prototype, "setAttribute", 1, markup, function (e, a) { return e.localName === "iframe" && /^srcdoc$/i.test(a[0]); });
  ["setTimeout", "setInterval"].forEach(function (k) { method(root, k, 0, code, function (e, a) { return typeof a[0] !== "function"; }); });
  // Code of texts is an error of its own kind (ECMA-262, section 19.2.1.2).
  function compiled(v) { try { return typeof v === "string" || v instanceof Script ? code(v) : v; } catch (e) { throw new EvalError("Evaluating a string as JavaScript violates this document's Trusted Type assignment requirements."); } }
  var own = { eval: root.eval, Function: root.Function };
  root.eval = function (v) { return own.eval(compiled(v)); };
  root.Function = function Function() { return own.Function.apply(this, [].map.call(arguments, compiled)); };
  root.Function.prototype = own.Function.prototype;
  own.Function.prototype.constructor = root.Function;
  var Worker = root.Worker;
  root.Worker = class extends Worker { constructor(to) { super(address(to)); } };
})
