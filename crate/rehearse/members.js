// What globals have, for comparing two versions of a library: own members, inherited ones, those of plug-ins (fn) and
// of instances (prototype); with deep also those of each member that is a namespace or a class. Called with the names
// of the globals, it returns {members: {global: [path]}, forms: {path: form}}, where a form is function, class, method
// (a function that is no constructor), object or value.
(function (globals, deep, most) {
  'use strict';
  const root = globalThis, hidden = new Set(['length', 'name', 'prototype', 'arguments', 'caller', 'constructor', 'fn',
    '__proto__']);
  const platform = new Set([Object.prototype, Function.prototype, Array.prototype, Error.prototype, Promise.prototype,
    Map.prototype, Set.prototype]);
  for (const name of ['EventTarget', 'Node', 'Element', 'HTMLElement', 'Event', 'CustomEvent']) {
    if (typeof root[name] === 'function') platform.add(root[name].prototype);
  }
  const source = Function.prototype.toString, isThing = v => v !== null && (typeof v === 'object' || typeof v ===
    'function');

  function formOf(v) {
    if (typeof v !== 'function') return isThing(v) ? 'object' : 'value';
    let text = '';
    try { text = source.call(v); } catch (e) { return 'function'; }
    if (/^class\b/.test(text)) return 'class';
    return text.includes('[native code]') || Object.prototype.hasOwnProperty.call(v, 'prototype') ? 'function' :
      'method';
  }

  // namesOf are the members that an object has, its own and what it inherits.
  function namesOf(o) {
    const names = new Set();
    for (let p = o, n = 0; isThing(p) && !platform.has(p) && n < 20; p = Object.getPrototypeOf(p), n++) {
      for (const k of Object.getOwnPropertyNames(p)) {
        if (!hidden.has(k) && k[0] !== '_' && k.length < 1000 && !/^\d+$/.test(k)) names.add(k);
      }
    }
    return names;
  }

  function get(o, k) {
    try { return o[k]; } catch (e) { return undefined; }
  }

  const out = {members: {}, forms: {}}, seen = new Set(); // two globals may be one thing
  for (const g of globals) {
    const top = get(root, g);
    if (!isThing(top) || top.nodeType || top === root) continue;
    const list = new Set(), again = seen.has(top);
    seen.add(top);
    const add = (path, v) => {
      if (list.size < most) { list.add(path); out.forms[g + '.' + path] = formOf(v); }
    };
    out.forms[g] = formOf(top);
    const fn = get(top, 'fn'), proto = get(top, 'prototype');
    for (const k of namesOf(top)) {
      const v = get(top, k);
      add(k, v);
      if (!deep || !isThing(v) || v.nodeType || v === top || v === root) continue;
      if (!Array.isArray(v)) for (const m of namesOf(v)) { if (get(v, m) !== top) add(k + '.' + m, get(v, m)); }
      if (typeof v === 'function' && isThing(v.prototype)) {
        for (const m of namesOf(v.prototype)) add(k + '.prototype.' + m, undefined);
      }
    }
    if (isThing(fn) && fn !== proto && !again) for (const k of namesOf(fn)) add('fn.' + k, undefined);
    if (isThing(proto) && !again) for (const k of namesOf(proto)) add('prototype.' + k, undefined);
    out.members[g] = [...list].sort();
  }
  return JSON.stringify(out);
})
