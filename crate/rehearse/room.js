// The room that a page's scripts are rehearsed in: a document and a window as far as scripts look at them
// while a page loads. What a browser has and this room has not is answered by something that takes anything;
// a rehearsal that touches that is no longer sure of what follows, and says so.
//
// It is called with host: read(name), parse(html), touch(), report(kind, message), now(), run(src).
(function (host) {
  "use strict";
  var root = globalThis, dom = {};
  var defineHidden = function (o, k, v) {
    Object.defineProperty(o, k, { value: v, writable: true, configurable: true, enumerable: false });
  };

  // anything stands in for what is not simulated. A browser has a thousand names of the kind, so all share what they do.
  var selves = new Map();
  var traps = {
    get: function (t, k) {
      if (k === "prototype") return t.prototype;
      host.touch();
      if (k === Symbol.toPrimitive) return function (hint) { return hint === "number" ? 0 : ""; };
      if (k === Symbol.iterator) return function () { return [][Symbol.iterator](); };
      if (k === "then" || k === Symbol.toStringTag) return undefined;
      if (k === "length") return 0;
      if (k === "iterateNext" || k === "nextNode") return function () { return null; }; // who walks along something comes to an end
      return selves.get(t);
    },
    set: function () { return true; },
    has: function () { return true; },
    apply: function (t) { host.touch(); return selves.get(t); },
    construct: function (t) { host.touch(); return selves.get(t); },
    deleteProperty: function () { return true; },
    getPrototypeOf: function () { return Function.prototype; }
  };
  function anything() {
    var target = function () {};
    var self = new Proxy(target, traps);
    selves.set(target, self);
    return self;
  }

  // What a browser's objects have and the room's have not: the table of the platform says so, and anything stands in. A
  // class may look further for members that depend on the object, such as a form's controls.
  var lookups = [], kindsOf = new Map(), rests = Object.create(null);
  function behind(C, look) { lookups.push([C, look]); }
  function interfaces(o) {
    var from = Object.getPrototypeOf(o), known = kindsOf.get(from);
    if (known !== undefined) return known;
    var names = [];
    for (var p = from; p && p !== Object.prototype; p = Object.getPrototypeOf(p)) {
      var d = Object.getOwnPropertyDescriptor(p, "constructor");
      if (d && typeof d.value === "function" && d.value.name) names.push(d.value.name);
    }
    kindsOf.set(from, names = names.join(" "));
    return names;
  }
  function restOf(name) {
    if (rests[name]) return rests[name];
    return rests[name] = new Proxy(Object.create(Object.prototype), {
      get: function (t, k, self) {
        if (typeof k !== "string" || k in Object.prototype) return Reflect.get(t, k, self);
        for (var i = 0; i < lookups.length; i++) if (self instanceof lookups[i][0]) { var v = lookups[i][1](self, k); if (v !== undefined) return v; }
        var of = name || interfaces(self);
        if (!host.member(of, k)) return undefined;
        if (/^on[a-z]/.test(k)) return null;
        host.touch();
        return anything();
      },
      has: function (t, k) { return k in t || typeof k === "string" && host.member(name, k); }
    });
  }
  function asInterface(o, name) { Object.setPrototypeOf(o, restOf(name)); return o; }

  // What Object.prototype.toString says of objects (Web IDL, section 3.7.3).
  function tag(o, name) { Object.defineProperty(o, Symbol.toStringTag, { value: name, configurable: true }); }

  // The room's own functions say that they are the browser's (ECMA-262, section 20.2.3.5).
  var source = Function.prototype.toString;
  defineHidden(Function.prototype, "toString", function toString() {
    var s = source.call(this);
    return s.length > 24 && host.own(s) ? "function " + (typeof this.name === "string" ? this.name.replace(/^get /, "get ") : "") + "() { [native code] }" : s;
  });

  // Events (DOM Standard, section 2).
  class Event {
    constructor(type, init) {
      this.type = String(type);
      this.bubbles = !!(init && init.bubbles);
      this.cancelable = !!(init && init.cancelable);
      this.composed = !!(init && init.composed);
      this.isTrusted = false;
      this.defaultPrevented = false;
      this.target = this.currentTarget = this.srcElement = null;
      this.timeStamp = host.now();
      this.eventPhase = 0;
      for (var k in init || {}) if (!/^(?:bubbles|cancelable|composed|type|target|path)$/.test(k)) defineHidden(this, k, init[k]);
    }
    preventDefault() { if (this.cancelable && !this.isPassive) this.defaultPrevented = true; }
    get returnValue() { return !this.defaultPrevented; }
    set returnValue(v) { if (!v) this.preventDefault(); }
    get cancelBubble() { return !!this.stopped; }
    set cancelBubble(v) { if (v) this.stopPropagation(); }
    stopPropagation() { this.stopped = true; }
    stopImmediatePropagation() { this.stopped = this.ended = true; }
    initEvent(type, bubbles, cancelable) { this.type = type; this.bubbles = !!bubbles; this.cancelable = !!cancelable; }
    initCustomEvent(type, bubbles, cancelable, detail) { this.initEvent(type, bubbles, cancelable); this.detail = detail; }
    composedPath() { return this.path ? this.path.slice() : []; }
  }
  ["NONE", "CAPTURING_PHASE", "AT_TARGET", "BUBBLING_PHASE"].forEach(function (k, i) { Event[k] = Event.prototype[k] = i; });
  Object.setPrototypeOf(Event.prototype, restOf(""));
  class CustomEvent extends Event {
    constructor(type, init) { super(type, init); this.detail = init && init.detail !== undefined ? init.detail : null; }
  }
  var listeners = new WeakMap(), listening = []; // elements that wait for a click
  function listenersOf(target, type, make) {
    var all = listeners.get(target);
    if (!all) { if (!make) return []; listeners.set(target, all = Object.create(null)); }
    return all[type] || (make ? all[type] = [] : []);
  }
  class EventTarget {
    addEventListener(type, f, options) {
      if (!f) return;
      type = String(type);
      var o = typeof options === "object" && options ? options : { capture: !!options };
      if (o.signal && o.signal.aborted) return;
      var list = listenersOf(this, type, true), self = this;
      if (list.some(function (l) { return l.f === f && l.capture === !!o.capture; })) return;
      list.push({ f: f, once: !!o.once, capture: !!o.capture, passive: !!o.passive });
      if (o.signal) o.signal.addEventListener("abort", function () { self.removeEventListener(type, f, o); });
      if (type === "click" && this.nodeType === 1 && listening.indexOf(this) < 0) listening.push(this);
    }
    removeEventListener(type, f, options) {
      var list = listenersOf(this, String(type), false), capture = !!(typeof options === "object" && options ? options.capture : options);
      for (var i = 0; i < list.length; i++) if (list[i].f === f && list[i].capture === capture) { list[i].gone = true; list.splice(i, 1); return; }
    }
    dispatchEvent(event) {
      if (!event || typeof event.type !== "string") throw new TypeError("Failed to execute 'dispatchEvent' on 'EventTarget': parameter 1 is not of type 'Event'.");
      fire(this, event);
      return !event.defaultPrevented;
    }
  }
  Object.setPrototypeOf(EventTarget.prototype, restOf(""));
  function parentOf(n, event) {
    if (n.parentNode) return n.parentNode;
    if (n.host && n.nodeType === 11) return event.composed ? n.host : null;
    return null;
  }
  function fire(target, event) {
    event.target = event.srcElement = target;
    var path = [target];
    for (var n = target !== root && target.nodeType && parentOf(target, event); n; n = parentOf(n, event)) path.push(n);
    if (path[path.length - 1] === document && target !== root && event.type !== "load") path.push(room.window);
    event.path = path;
    event.stopped = event.stopped || false;
    for (var i = path.length - 1; i > 0 && !event.stopped; i--) { event.eventPhase = 1; call(path[i], event, true); }
    event.eventPhase = 2;
    if (!event.stopped) call(target, event, true);
    if (!event.stopped) call(target, event, false);
    if (event.bubbles) for (i = 1; i < path.length && !event.stopped; i++) { event.eventPhase = 3; call(path[i], event, false); }
    event.eventPhase = 0;
    event.currentTarget = null;
    event.stopped = event.ended = false;
  }
  function call(target, event, capture) {
    event.currentTarget = target;
    var list = listenersOf(target, event.type, false).filter(function (l) { return l.capture === capture; });
    var own = capture ? null : handlerOf(target, event.type);
    if (own) list.push({ f: own, isOwn: true });
    for (var i = 0; i < list.length && !event.ended; i++) {
      if (list[i].gone) continue;
      if (list[i].once) target.removeEventListener(event.type, list[i].f, { capture: capture });
      event.isPassive = list[i].passive;
      (function (l) {
        host.run(function () {
          var was = root.event, answer;
          defineHidden(root, "event", event);
          try {
            if (typeof l.f === "function") answer = l.f.call(target, event);
            else if (l.f && typeof l.f.handleEvent === "function") l.f.handleEvent(event);
          } finally { defineHidden(root, "event", was); }
          if (l.isOwn && answer === false) event.preventDefault();
        });
      })(list[i]);
    }
    event.isPassive = false;
  }
  // The handler of a target: what a script gave it, else what its attribute says (HTML Standard, section 8.1.8.1).
  var compiled = new WeakMap();
  function handlerOf(target, type) {
    var own = target["on" + type];
    return typeof own === "function" || own && typeof own.handleEvent === "function" ? own : null;
  }
  function attributeHandler(target, type) {
    var code = target.map.get("on" + type), all = compiled.get(target) || Object.create(null);
    compiled.set(target, all);
    if (!all[type] || all[type].code !== code) {
      all[type] = { code: code, f: null };
      try { all[type].f = Function("event", "with (document) { with (this.form || {}) { with (this) {\n" + code + "\n} } }"); } catch (e) { host.report("exception", String(e)); }
    }
    return all[type].f;
  }

  // Nodes (DOM Standard, section 4).
  // The lists that scripts get are no arrays. Within the room lists of nodes are.
  class NodeList {
    constructor() { defineHidden(this, "length", 0); }
    item(i) { return this[i] || null; }
    forEach(f, self) { for (var i = 0; i < this.length; i++) f.call(self, this[i], i, this); }
    entries() { return Array.from(this).entries(); }
    keys() { return Array.from(this).keys(); }
    values() { return Array.from(this).values(); }
    [Symbol.iterator]() { return Array.prototype[Symbol.iterator].call(this); }
  }
  class HTMLCollection {
    constructor() { defineHidden(this, "length", 0); }
    item(i) { return this[i] || null; }
    namedItem(name) { return Array.prototype.filter.call(this, function (e) { return e.id === name || e.getAttribute("name") === name; })[0] || null; }
    [Symbol.iterator]() { return Array.prototype[Symbol.iterator].call(this); }
  }
  class NamedNodeMap extends NodeList {}
  NamedNodeMap.prototype.forEach = undefined;
  function listAs(C, nodes) { var l = new C(); for (var i = 0; i < nodes.length; i++) l[i] = nodes[i]; l.length = nodes.length; return l; }
  function listOf(nodes) { return listAs(NodeList, nodes); }
  function collection(nodes) {
    var l = listAs(HTMLCollection, nodes);
    nodes.forEach(function (e) { [e.id, e.getAttribute("name")].forEach(function (k) { if (k && !(k in l)) Object.defineProperty(l, k, { value: e, configurable: true }); }); });
    return l;
  }
  // A live list of a node's children (DOM Standard, section 4.2.10).
  function live(nodes) {
    return new Proxy(Object.create(NodeList.prototype), {
      get: function (t, k, self) { return k === "length" ? nodes.length : typeof k === "string" && k in nodes && /^\d+$/.test(k) ? nodes[k] : Reflect.get(t, k, self); },
      has: function (t, k) { return k === "length" || k in t || typeof k === "string" && /^\d+$/.test(k) && k in nodes; },
      set: function () { return true; },
      ownKeys: function () { return Object.keys(nodes); },
      getOwnPropertyDescriptor: function (t, k) { return typeof k === "string" && /^\d+$/.test(k) && k in nodes ? { value: nodes[k], enumerable: true, configurable: true, writable: false } : undefined; }
    });
  }

  class Node extends EventTarget {
    constructor(type, name) {
      super();
      defineHidden(this, "nodeType", type);
      defineHidden(this, "nodeName", name);
      defineHidden(this, "nodes", []);
      defineHidden(this, "parentNode", null);
    }
    get childNodes() { if (!this.shown) defineHidden(this, "shown", live(this.nodes)); return this.shown; }
    get ownerDocument() { return this === document ? null : document; }
    get parentElement() { return this.parentNode && this.parentNode.nodeType === 1 ? this.parentNode : null; }
    get firstChild() { return this.nodes[0] || null; }
    get lastChild() { return this.nodes[this.nodes.length - 1] || null; }
    get nextSibling() { return sibling(this, 1, false); }
    get previousSibling() { return sibling(this, -1, false); }
    get nextElementSibling() { return sibling(this, 1, true); }
    get previousElementSibling() { return sibling(this, -1, true); }
    get isConnected() { return document.contains(this); }
    get baseURI() { return location.href; }
    hasChildNodes() { return this.nodes.length > 0; }
    contains(other) { for (var n = other; n; n = n.parentNode) if (n === this) return true; return false; }
    compareDocumentPosition(other) {
      if (this === other) return 0;
      if (this.getRootNode() !== other.getRootNode()) return 37;
      if (this.contains(other)) return 20;
      if (other.contains && other.contains(this)) return 10;
      var all = [];
      walk(this.getRootNode(), function (n) { all.push(n); });
      return all.indexOf(this) < all.indexOf(other) ? 4 : 2;
    }
    appendChild(n) { return this.insertBefore(n, null); }
    insertBefore(n, before) {
      if (!(n instanceof Node)) throw new TypeError("Failed to execute 'insertBefore' on 'Node': parameter 1 is not of type 'Node'.");
      if (n === before) return n;
      if (n.nodeType === 11) { n.nodes.slice().forEach(function (c) { this.insertBefore(c, before); }, this); return n; }
      if (n.contains(this)) throw new DOMException("The new child element contains the parent.", "HierarchyRequestError");
      if (n.parentNode) n.parentNode.removeChild(n);
      var at = before ? this.nodes.indexOf(before) : this.nodes.length;
      if (at < 0) throw new DOMException("The node before which the new node is to be inserted is not a child of this node.", "NotFoundError");
      this.nodes.splice(at, 0, n);
      n.parentNode = this;
      mutated(this, "childList", { addedNodes: listOf([n]), removedNodes: listOf([]), previousSibling: this.nodes[at - 1] || null, nextSibling: before || null });
      if (n.nodeType === 1 && n.isConnected) { arrive(n); arrived(n); }
      if (n.nodeType === 3 && this.localName === "style" && this.isConnected) makes("style", this, this.textContent);
      if (room.watching && n.nodeType === 1 && !n.isConnected && attached(n)) styled(n);
      if (n.nodeType === 1 && n.isConnected) { inserted(n); walk(n, inserted); }
      return n;
    }
    removeChild(n) {
      var at = this.nodes.indexOf(n);
      if (at < 0) throw new DOMException("The node to be removed is not a child of this node.", "NotFoundError");
      var there = n.nodeType === 1 && n.isConnected;
      this.nodes.splice(at, 1);
      n.parentNode = null;
      mutated(this, "childList", { addedNodes: listOf([]), removedNodes: listOf([n]), previousSibling: this.nodes[at - 1] || null, nextSibling: this.nodes[at] || null });
      if (there) gone(n);
      return n;
    }
    replaceChild(n, old) {
      if (old.parentNode !== this) throw new DOMException("The node to be replaced is not a child of this node.", "NotFoundError");
      if (n !== old) { this.insertBefore(n, old); this.removeChild(old); }
      return old;
    }
    append() { for (var i = 0; i < arguments.length; i++) this.appendChild(toNode(arguments[i])); }
    prepend() { var first = this.firstChild; for (var i = 0; i < arguments.length; i++) this.insertBefore(toNode(arguments[i]), first); }
    before() { for (var i = 0; i < arguments.length; i++) this.parentNode.insertBefore(toNode(arguments[i]), this); }
    after() { var next = this.nextSibling; for (var i = 0; i < arguments.length; i++) this.parentNode.insertBefore(toNode(arguments[i]), next); }
    replaceWith() { this.before.apply(this, arguments); this.remove(); }
    replaceChildren() { while (this.firstChild) this.removeChild(this.firstChild); this.append.apply(this, arguments); }
    remove() { if (this.parentNode) this.parentNode.removeChild(this); }
    cloneNode(deep) {
      var c = copy(this);
      if (deep) this.nodes.forEach(function (n) { c.appendChild(n.cloneNode(true)); });
      return c;
    }
    normalize() {
      for (var i = 0; i < this.nodes.length; i++) {
        var n = this.nodes[i], next = this.nodes[i + 1];
        if (n.nodeType === 3 && n.data === "") { n.remove(); i--; } else if (n.nodeType === 3 && next && next.nodeType === 3) { n.data += next.data; next.remove(); i--; } else n.normalize();
      }
    }
    isEqualNode(o) { return this === o || !!o && this.nodeType === o.nodeType && (this.nodeType === 1 || this.nodeType === 3 ? text(this) === text(o) : this.textContent === o.textContent); }
    lookupNamespaceURI() { return html; }
    isDefaultNamespace(ns) { return ns === html; }
    isSameNode(o) { return this === o; }
    getRootNode() { var n = this; while (n.parentNode) n = n.parentNode; return n; }
    get textContent() { var s = ""; walk(this, function (n) { if (n.nodeType === 3) s += n.data; }); return s; }
    set textContent(s) { while (this.firstChild) this.removeChild(this.firstChild); if (s !== "" && s != null) this.appendChild(new Text(s)); }
    get assignedSlot() { return null; }
    get nodeValue() { return null; }
    set nodeValue(v) {}
    // Of documents, fragments and elements alike.
    get children() { return collection(elementsIn(this)); }
    get firstElementChild() { return (this.nodes || []).filter(isElement)[0] || null; }
    get lastElementChild() { return (this.nodes || []).filter(isElement).pop() || null; }
    get childElementCount() { return (this.nodes || []).filter(isElement).length; }
    querySelector(s) { return select(this, s, true)[0] || null; }
    querySelectorAll(s) { return listOf(select(this, s, false)); }
    getElementsByTagName(name) {
      name = String(name);
      var lower = name.toLowerCase();
      return collection(found(this, function (e) { return name === "*" || e.localName === (e.namespaceURI === html ? lower : name); }));
    }
    getElementsByTagNameNS(ns, name) { return this.getElementsByTagName(name); }
    getElementsByClassName(names) {
      var want = String(names).split(/\s+/).filter(Boolean);
      return collection(found(this, function (e) { return want.every(function (c) { return e.classList.contains(c); }); }));
    }
  }
  ["ELEMENT_NODE", "ATTRIBUTE_NODE", "TEXT_NODE", "CDATA_SECTION_NODE", "", "", "PROCESSING_INSTRUCTION_NODE", "COMMENT_NODE", "DOCUMENT_NODE", "DOCUMENT_TYPE_NODE", "DOCUMENT_FRAGMENT_NODE"].forEach(function (k, i) {
    if (k) Node[k] = Node.prototype[k] = i + 1;
  });
  function isElement(n) { return n.nodeType === 1; }
  function toNode(v) { return v instanceof Node ? v : new Text(v); }
  function sibling(n, step, elements) {
    if (!n.parentNode) return null;
    var list = n.parentNode.nodes;
    for (var i = list.indexOf(n) + step; i >= 0 && i < list.length; i += step) if (!elements || isElement(list[i])) return list[i];
    return null;
  }
  var everIDs = new Set(); // every id that an element ever had: what is not among them need not be looked for in the tree
  function walk(n, visit) { for (var i = 0; i < n.nodes.length; i++) { visit(n.nodes[i]); walk(n.nodes[i], visit); } }
  function elementsIn(n) { return (n.nodes || []).filter(isElement); }
  function found(from, test) { var l = []; walk(from, function (n) { if (isElement(n) && test(n)) l.push(n); }); return l; }
  function copy(n) {
    if (n.nodeType === 3) return new Text(n.data);
    if (n.nodeType === 8) return new Comment(n.data);
    if (n.nodeType === 11) return new DocumentFragment();
    var c = create(n.localName, n.namespaceURI);
    n.map.forEach(function (v, k) { c.map.set(k, v); if (k === "id") everIDs.add(v); });
    if (n.localName === "template") n.content.nodes.forEach(function (x) { c.content.appendChild(x.cloneNode(true)); });
    ["typed", "on", "started"].forEach(function (k) { if (n[k] !== undefined) defineHidden(c, k, n[k]); });
    return c;
  }
  class CharacterData extends Node {
    constructor(type, name, data) { super(type, name); defineHidden(this, "words", data === undefined ? "" : String(data)); }
    get data() { return this.words; }
    set data(v) { var old = this.words; this.words = v === null ? "" : String(v); mutated(this, "characterData", { oldValue: old }); }
    substringData(a, n) { return this.data.substr(a, n); }
    appendData(s) { this.data += s; }
    insertData(a, s) { this.data = this.data.slice(0, a) + s + this.data.slice(a); }
    deleteData(a, n) { this.data = this.data.slice(0, a) + this.data.slice(a + n); }
    replaceData(a, n, s) { this.data = this.data.slice(0, a) + s + this.data.slice(a + n); }
    get nodeValue() { return this.data; }
    set nodeValue(v) { this.data = v; }
    get textContent() { return this.data; }
    set textContent(v) { this.data = v; }
    get length() { return this.data.length; }
    splitText(at) { var t = new Text(this.data.slice(at)); this.data = this.data.slice(0, at); if (this.parentNode) this.parentNode.insertBefore(t, this.nextSibling); return t; }
  }
  class Text extends CharacterData { constructor(s) { super(3, "#text", s); } get wholeText() { return this.data; } }
  class Comment extends CharacterData { constructor(s) { super(8, "#comment", s); } }
  class DocumentFragment extends Node {
    constructor() { super(11, "#document-fragment"); }
    getElementById(id) { return found(this, function (e) { return e.id === String(id); })[0] || null; }
  }
  class ShadowRoot extends DocumentFragment {
    get innerHTML() { return this.nodes.map(text).join(""); }
    set innerHTML(s) { fill(this, String(s), "body"); }
    setHTMLUnsafe(s) { this.innerHTML = s; }
    get activeElement() { return null; }
    get styleSheets() { return []; }
    get adoptedStyleSheets() { return this.sheets || []; }
    set adoptedStyleSheets(v) { defineHidden(this, "sheets", v); }
    get isConnected() { return this.host.isConnected; }
  }
  function fill(parent, s, context) {
    while (parent.firstChild) parent.removeChild(parent.firstChild);
    build(parent, host.parse(s, context));
    var shown = parent.getRootNode();
    madeIn(parent, shown.nodeType === 11 && !shown.host, true);
    if (parent.nodes.length) mutated(parent, "childList", { addedNodes: listOf(parent.nodes), removedNodes: listOf([]), previousSibling: null, nextSibling: null });
    parent.nodes.slice().forEach(function (n) { if (n.nodeType === 1 && n.isConnected) { arrive(n); arrived(n); } else if (room.watching && n.nodeType === 1 && attached(n)) styled(n); });
  }
  class DOMException extends Error {
    constructor(message, name) { super(message); this.name = name || "Error"; this.code = codes[this.name] || 0; }
  }
  var codes = { IndexSizeError: 1, HierarchyRequestError: 3, WrongDocumentError: 4, InvalidCharacterError: 5, NoModificationAllowedError: 7, NotFoundError: 8, NotSupportedError: 9, InUseAttributeError: 10, InvalidStateError: 11, SyntaxError: 12, InvalidModificationError: 13, NamespaceError: 14, InvalidAccessError: 15, SecurityError: 18, NetworkError: 19, AbortError: 20, QuotaExceededError: 22, TimeoutError: 23, DataCloneError: 25 };

  function checkTokens(list) {
    for (var i = 0; i < list.length; i++) {
      if (String(list[i]) === "") throw new DOMException("The token provided must not be empty.", "SyntaxError");
      if (/\s/.test(list[i])) throw new DOMException("The token provided ('" + list[i] + "') contains HTML space characters, which are not valid in tokens.", "InvalidCharacterError");
    }
  }
  class DOMTokenList {
    constructor(e, attribute) { defineHidden(this, "e", e); defineHidden(this, "a", attribute); }
    get list() { return (this.e.getAttribute(this.a) || "").split(/\s+/).filter(Boolean); }
    put(l) { this.e.setAttribute(this.a, l.join(" ")); }
    get length() { return this.list.length; }
    get value() { return this.e.getAttribute(this.a) || ""; }
    set value(v) { this.e.setAttribute(this.a, v); }
    get [0]() { return this.list[0]; }
    get [1]() { return this.list[1]; }
    get [2]() { return this.list[2]; }
    get [3]() { return this.list[3]; }
    item(i) { return this.list[i] || null; }
    contains(c) { return this.list.indexOf(String(c)) >= 0; }
    entries() { return this.list.entries(); }
    keys() { return this.list.keys(); }
    values() { return this.list.values(); }
    add() { var l = this.list; checkTokens(arguments); [].forEach.call(arguments, function (c) { if (l.indexOf(String(c)) < 0) l.push(String(c)); }); this.put(l); }
    remove() { checkTokens(arguments); var out = [].map.call(arguments, String); this.put(this.list.filter(function (c) { return out.indexOf(c) < 0; })); }
    toggle(c, force) {
      var has = this.contains(c), want = force === undefined ? !has : !!force;
      if (want !== has) this[want ? "add" : "remove"](c);
      return want;
    }
    replace(a, b) { if (!this.contains(a)) return false; this.remove(a); this.add(b); return true; }
    forEach(f, self) { this.list.forEach(f, self); }
    supports() { return true; }
    toString() { return this.value; }
    [Symbol.iterator]() { return this.list[Symbol.iterator](); }
  }

  // The style of an element, which its attribute says, too (CSSOM, section 6.6); of none it is one that nobody sets.
  function styleOf(e) {
    var values = Object.create(null), ranks = Object.create(null);
    var dashed = function (k) { k = String(k); return k === "cssFloat" ? "float" : k.indexOf("--") === 0 ? k : k.replace(/^(?:webkit|moz|ms)(?=[A-Z])/, "-$&").replace(/[A-Z]/g, function (c) { return "-" + c.toLowerCase(); }); };
    var all = function () { return Object.keys(values).map(function (p) { return p + ": " + values[p] + (ranks[p] ? " !important" : "") + ";"; }).join(" "); };
    var put = function (k, v, rank) {
      v = v === null ? "" : String(v).trim();
      if (v === "") { delete values[k]; delete ranks[k]; } else { var m = /\s*!important$/i.exec(v); values[k] = m ? v.slice(0, m.index) : v; if (m || rank) ranks[k] = true; else delete ranks[k]; }
    };
    var tell = function () { if (e && room.watching && e.isConnected) shows(all()); if (e && !e.styling) { defineHidden(e, "styling", true); e.setAttribute("style", all()); defineHidden(e, "styling", false); } };
    var read = function (s) {
      values = Object.create(null);
      String(s).split(/;(?![^(]*\))/).forEach(function (d) { var at = d.indexOf(":"); if (at > 0) put(d.slice(0, at).trim().toLowerCase(), d.slice(at + 1)); });
    };
    var methods = {
      setProperty: function (k, v, rank) { put(String(k).indexOf("--") === 0 ? k : String(k).toLowerCase(), v, /important/i.test(rank || "")); tell(); },
      getPropertyValue: function (k) { return values[k] || ""; },
      getPropertyPriority: function (k) { return ranks[k] ? "important" : ""; },
      removeProperty: function (k) { var old = values[k] || ""; put(k, ""); tell(); return old; },
      item: function (i) { return Object.keys(values)[i] || ""; }
    };
    var style = new Proxy(methods, {
      get: function (t, k) {
        if (typeof k !== "string") return t[k];
        if (Object.prototype.hasOwnProperty.call(methods, k)) return methods[k];
        if (k === "cssText") return all();
        if (k === "length") return Object.keys(values).length;
        if (/^\d+$/.test(k)) return Object.keys(values)[k];
        if (k === "parentRule") return null;
        if (/^(?:O|ms|Moz|Khtml)[A-Z]/.test(k)) return undefined;
        return k in Object.prototype ? Object.prototype[k] : values[dashed(k)] || "";
      },
      set: function (t, k, v) {
        if (k === "cssText") read(v); else put(dashed(k), v);
        tell();
        return true;
      },
      has: function (t, k) { return typeof k === "string" && !/^(?:O|ms|Moz|Khtml)[A-Z]/.test(k); }
    });
    if (e) { defineHidden(e, "styling", true); read(e.map.get("style") || ""); defineHidden(e, "styling", false); }
    return style;
  }

  var styles = new WeakMap();
  var loads = { img: "src", audio: "src", video: "src", link: "href", script: "src", iframe: "src", embed: "src", object: "data" };
  class Element extends Node {
    constructor(name, ns) {
      super(1, ns && ns !== html ? name : name.toUpperCase());
      defineHidden(this, "localName", name);
      defineHidden(this, "tagName", this.nodeName);
      defineHidden(this, "namespaceURI", ns || html);
      defineHidden(this, "map", new Map());
      defineHidden(this, "prefix", null);
    }
    get attributes() {
      var l = new NamedNodeMap();
      var e = this;
      this.map.forEach(function (v, k) {
        var a = { name: k, nodeName: k, localName: k, value: v, nodeValue: v, specified: true, nodeType: 2, ownerElement: e };
        Object.defineProperty(a, "value", { get: function () { return e.getAttribute(k); }, set: function (v) { e.setAttribute(k, v); }, enumerable: true });
        l[l.length++] = a;
        if (!(k in l)) defineHidden(l, k, a);
      });
      defineHidden(l, "getNamedItem", function (k) { return e.hasAttribute(k) ? Array.from(l).filter(function (a) { return a.name === k; })[0] : null; });
      defineHidden(l, "removeNamedItem", function (k) { e.removeAttribute(k); });
      return l;
    }
    getAttribute(k) { k = String(k); if (this.namespaceURI === html || !this.map.has(k)) k = k.toLowerCase(); return this.map.has(k) ? this.map.get(k) : null; }
    setAttribute(k, v) {
      k = this.namespaceURI === html ? String(k).toLowerCase() : String(k);
      if (!/^[^\s"'<>\/=]+$/.test(k)) throw new DOMException("'" + k + "' is not a valid attribute name.", "InvalidCharacterError");
      var old = this.map.has(k) ? this.map.get(k) : null;
      this.map.set(k, String(v));
      mutated(this, "attributes", { attributeName: k, attributeNamespace: null, oldValue: old });
      if (room.watching && (k === "style" && !this.styling || handles(this, k))) makes(k === "style" ? "style attribute" : "handler", this, String(v));
      if (dom.attributeChanged) dom.attributeChanged(this, k, old, String(v));
      if (k === "style" && styles.has(this) && !this.styling) { defineHidden(this, "styling", true); styles.get(this).cssText = String(v); defineHidden(this, "styling", false); }
      if (k === "id") everIDs.add(String(v)); if (loads[this.localName] === k && (this.isConnected || this.localName === "img" || this.localName === "audio")) asks(this);
    }
    removeAttribute(k) {
      k = String(k);
      if (this.namespaceURI === html || !this.map.has(k)) k = k.toLowerCase();
      if (!this.map.has(k)) return;
      var old = this.map.get(k);
      this.map.delete(k);
      mutated(this, "attributes", { attributeName: k, attributeNamespace: null, oldValue: old });
      if (dom.attributeChanged) dom.attributeChanged(this, k, old, null);
    }
    hasAttribute(k) { k = String(k); return this.map.has(k.toLowerCase()) || this.namespaceURI !== html && this.map.has(k); }
    hasAttributes() { return this.map.size > 0; }
    toggleAttribute(k, force) { var want = force === undefined ? !this.hasAttribute(k) : force; if (want) this.setAttribute(k, ""); else this.removeAttribute(k); return want; }
    getAttributeNames() { return Array.from(this.map.keys()); }
    getAttributeNS(ns, k) { return this.getAttribute(k); }
    setAttributeNS(ns, k, v) { this.setAttribute(k, v); }
    removeAttributeNS(ns, k) { this.removeAttribute(k); }
    hasAttributeNS(ns, k) { return this.hasAttribute(k); }
    setAttributeNode(a) { this.setAttribute(a.name, a.value); return null; }
    removeAttributeNode(a) { this.removeAttribute(a.name); return a; }
    getAttributeNode(k) { var e = this; return this.hasAttribute(k) ? { name: k, value: this.getAttribute(k), specified: true, ownerElement: e } : null; }
    get className() { return this.getAttribute("class") || ""; }
    set className(v) { this.setAttribute("class", v); }
    get classList() { return new DOMTokenList(this, "class"); }
    set classList(v) { this.className = v; }
    get relList() { return new DOMTokenList(this, "rel"); }
    get style() { if (!styles.has(this)) styles.set(this, styleOf(this)); return styles.get(this); }
    set style(v) { this.style.cssText = v; }
    get dataset() {
      var e = this, key = function (k) { return "data-" + String(k).replace(/[A-Z]/g, function (c) { return "-" + c.toLowerCase(); }); };
      return new Proxy({}, {
        get: function (t, k) { if (typeof k !== "string") return k === Symbol.toStringTag ? "DOMStringMap" : t[k]; var v = e.getAttribute(key(k)); return v === null ? undefined : v; },
        set: function (t, k, v) { e.setAttribute(key(k), v); return true; },
        has: function (t, k) { return e.hasAttribute(key(k)); },
        deleteProperty: function (t, k) { e.removeAttribute(key(k)); return true; },
        ownKeys: function () { return e.getAttributeNames().filter(function (n) { return n.indexOf("data-") === 0; }).map(function (n) { return n.slice(5).replace(/-([a-z])/g, function (m, c) { return c.toUpperCase(); }); }); },
        getOwnPropertyDescriptor: function (t, k) { return { value: e.getAttribute(key(k)), enumerable: true, configurable: true, writable: true }; }
      });
    }
    get innerHTML() { return (this.localName === "template" && this.content || this).nodes.map(text).join(""); }
    set innerHTML(s) { fill(this.localName === "template" ? this.content : this, s === null ? "" : String(s), this.localName); }
    setHTMLUnsafe(s) { this.innerHTML = s; }
    getHTML() { return this.innerHTML; }
    get outerHTML() { return text(this); }
    set outerHTML(s) {
      if (!this.parentNode) return;
      if (this.parentNode.nodeType === 9) throw new DOMException("This element's parent is of type '#document', which is not an element node.", "NoModificationAllowedError");
      this.replaceWith.apply(this, fragment(s, this.parentNode.localName).nodes.slice());
    }
    insertAdjacentHTML(where, s) {
      var out = /^(?:before|after)(?:begin|end)$/i.test(where);
      if (!out) throw new DOMException("The value provided ('" + where + "') is not one of 'beforebegin', 'afterbegin', 'beforeend', or 'afterend'.", "SyntaxError");
      var outer = /^(?:beforebegin|afterend)$/i.test(where);
      if (outer && !this.parentNode) throw new DOMException("The element has no parent.", "NoModificationAllowedError");
      this.insertAdjacentElement(where, fragment(s, outer ? this.parentNode.localName : this.localName));
    }
    insertAdjacentElement(where, n) {
      switch (String(where).toLowerCase()) {
        case "beforebegin": this.parentNode.insertBefore(n, this); break;
        case "afterbegin": this.insertBefore(n, this.firstChild); break;
        case "beforeend": this.appendChild(n); break;
        case "afterend": this.parentNode.insertBefore(n, this.nextSibling); break;
      }
      return n;
    }
    insertAdjacentText(where, s) { this.insertAdjacentElement(where, new Text(s)); }
    get innerText() { return this.textContent; }
    set innerText(s) { this.textContent = s; }
    matches(s) { var old = scope; scope = this; try { return matchesAny(this, parseSelector(s)); } finally { scope = old; } }
    closest(s) { var p = parseSelector(s); for (var e = this; e && e.nodeType === 1; e = e.parentNode) if (matchesAny(e, p)) return e; return null; }
    getBoundingClientRect() { return { x: 0, y: 0, top: 0, left: 0, right: 0, bottom: 0, width: 0, height: 0, toJSON: function () { return {}; } }; }
    getClientRects() { return []; }
    get id() { return this.getAttribute("id") || ""; }
    set id(v) { this.setAttribute("id", v); }
    get slot() { return this.getAttribute("slot") || ""; }
    set slot(v) { this.setAttribute("slot", v); }
    get role() { return this.getAttribute("role"); }
    set role(v) { this.setAttribute("role", v); }
    checkVisibility() { return this.isConnected; }
    webkitMatchesSelector(s) { return this.matches(s); }
    scrollIntoView() {} scrollTo() {} scrollBy() {} scroll() {} setPointerCapture() {} releasePointerCapture() {} hasPointerCapture() { return false; } requestFullscreen() { return new Promise(noop); }
    animate() { return anything(); }
    getAnimations() { return []; }
    attachShadow(init) {
      if (this.inShadow) throw new DOMException("Failed to execute 'attachShadow' on 'Element': Shadow root cannot be created on a host which already hosts a shadow tree.", "NotSupportedError");
      if (!/-|^(?:article|aside|blockquote|body|div|footer|h[1-6]|header|main|nav|p|section|span)$/.test(this.localName)) throw new DOMException("Failed to execute 'attachShadow' on 'Element': This element does not support attachShadow", "NotSupportedError");
      var s = new ShadowRoot();
      defineHidden(s, "host", this); defineHidden(s, "mode", init && init.mode || "open"); defineHidden(s, "delegatesFocus", false);
      defineHidden(this, "inShadow", s);
      return s;
    }
    get shadowRoot() { return this.inShadow && this.inShadow.mode === "open" ? this.inShadow : null; }
  }
  function fragment(s, context, runs) { var f = new DocumentFragment(); build(f, host.parse(String(s), context || "body")); madeIn(f, false, !runs); return f; }
  ("Atomic AutoComplete BrailleLabel BrailleRoleDescription Busy Checked ColCount ColIndex ColIndexText ColSpan Current Description Disabled Expanded HasPopup Hidden Invalid KeyShortcuts Label Level Live Modal MultiLine MultiSelectable Orientation Placeholder PosInSet Pressed ReadOnly Relevant Required RoleDescription RowCount RowIndex RowIndexText RowSpan Selected SetSize Sort ValueMax ValueMin ValueNow ValueText").split(" ").forEach(function (k) {
    var a = "aria-" + k.toLowerCase();
    Object.defineProperty(Element.prototype, "aria" + k, { get: function () { return this.getAttribute(a); }, set: function (v) { if (v === null) this.removeAttribute(a); else this.setAttribute(a, v); }, enumerable: true, configurable: true });
  });
  function zeros(C, list) { list.forEach(function (k) { Object.defineProperty(C.prototype, k, { get: function () { return 0; }, set: function () {}, configurable: true }); }); }
  zeros(Element, ["clientWidth", "clientHeight", "clientTop", "clientLeft", "scrollWidth", "scrollHeight"]);
  ["scrollTop", "scrollLeft"].forEach(function (k) { Element.prototype[k] = 0; });

  var html = "http://www.w3.org/1999/xhtml";
  // An element of a page's own comes into being by its class, or is made one of it later (HTML Standard, section 4.13).
  function HTMLElement(name, ns) {
    if (new.target === undefined) throw new TypeError("Illegal constructor");
    var e = null;
    if (name === undefined || ns !== html) {
      if ((e = dom.ownConstruction(new.target))) return e;
      name = dom.ownName(new.target);
    }
    e = Reflect.construct(Element, [name, html], new.target);
    if (ns === undefined) defineHidden(e, "upgraded", true);
    return e;
  }
  HTMLElement.prototype = Object.create(Element.prototype, { constructor: { value: HTMLElement, writable: true, configurable: true } });
  Object.setPrototypeOf(HTMLElement, Element);
  var active = null;
  Object.defineProperties(HTMLElement.prototype, Object.getOwnPropertyDescriptors({
    get innerText() { return this.textContent; }, set innerText(s) { this.textContent = s; }, get outerText() { return this.textContent; }, set outerText(s) { this.replaceWith(new Text(s)); },
    get offsetParent() { return this.parentElement; },
    get tabIndex() { return Number(this.getAttribute("tabindex") || (/^(?:a|button|input|select|textarea|iframe|summary)$/.test(this.localName) ? 0 : -1)); }, set tabIndex(v) { this.setAttribute("tabindex", v); },
    get contentEditable() { var v = this.getAttribute("contenteditable"); return v === null ? "inherit" : v || "true"; }, set contentEditable(v) { this.setAttribute("contenteditable", v); },
    get isContentEditable() { return /^(?:|true|plaintext-only)$/.test(this.getAttribute("contenteditable") === null ? "no" : this.getAttribute("contenteditable")); },
    get draggable() { return this.getAttribute("draggable") === "true" || this.localName === "img"; }, set draggable(v) { this.setAttribute("draggable", String(!!v)); },
    get spellcheck() { return this.getAttribute("spellcheck") !== "false"; }, set spellcheck(v) { this.setAttribute("spellcheck", String(!!v)); },
    get translate() { return this.getAttribute("translate") !== "no"; }, set translate(v) { this.setAttribute("translate", v ? "yes" : "no"); },
    focus() {
      if (active === this || !this.isConnected || dom.isDisabled && dom.isDisabled(this) || this.tabIndex < 0 && !this.hasAttribute("tabindex") && !this.isContentEditable) return;
      if (active) active.blur();
      active = this;
      fire(this, new root.FocusEvent("focus", {})); fire(this, new root.FocusEvent("focusin", { bubbles: true }));
    },
    blur() { if (active !== this) return; active = null; fire(this, new root.FocusEvent("blur", {})); fire(this, new root.FocusEvent("focusout", { bubbles: true })); },
    click() { dom.click(this); },
    showPopover() {}, hidePopover() {}, togglePopover() { return false; },
    attachInternals() { return anything(); }
  }));
  zeros(HTMLElement, ["offsetWidth", "offsetHeight", "offsetTop", "offsetLeft"]);
  class SVGElement extends Element {
    get className() { return { baseVal: this.getAttribute("class") || "", animVal: this.getAttribute("class") || "" }; }
    get tabIndex() { return -1; } focus() {} blur() {}
    get viewportElement() { return this.closest("svg"); } get ownerSVGElement() { return this.closest("svg"); } getBBox() { return { x: 0, y: 0, width: 0, height: 0 }; } createSVGPoint() { return anything(); } }
  var kinds = { html: "Html", a: "Anchor", area: "Area", audio: "Audio", base: "Base", body: "Body", br: "BR", button: "Button", canvas: "Canvas", data: "Data", datalist: "DataList", details: "Details", dialog: "Dialog", div: "Div", dl: "DList", embed: "Embed",
    fieldset: "FieldSet", font: "Font", form: "Form", frame: "Frame", head: "Head", h1: "Heading", hr: "HR", iframe: "IFrame", img: "Image", input: "Input", label: "Label", legend: "Legend", li: "LI", link: "Link", map: "Map", media: "Media", menu: "Menu", meta: "Meta",
    meter: "Meter", del: "Mod", object: "Object", ol: "OList", optgroup: "OptGroup", option: "Option", output: "Output", p: "Paragraph", param: "Param", picture: "Picture", pre: "Pre", progress: "Progress", q: "Quote", script: "Script", select: "Select", slot: "Slot",
    source: "Source", span: "Span", style: "Style", caption: "TableCaption", td: "TableCell", col: "TableCol", table: "Table", tr: "TableRow", tbody: "TableSection", template: "Template", textarea: "TextArea", time: "Time", title: "Title", track: "Track", ul: "UList", unknown: "Unknown", video: "Video" };
  var classes = Object.create(null);
  function named(C, name) { Object.defineProperty(C, "name", { value: name, configurable: true }); tag(C.prototype, name); return C; }
  Object.keys(kinds).forEach(function (tag) {
    var name = "HTML" + kinds[tag] + "Element", of = /^(?:audio|video)$/.test(tag) ? classes.media || (classes.media = named(class extends HTMLElement {}, "HTMLMediaElement")) : HTMLElement;
    if (tag === "media") { root.HTMLMediaElement = classes.media; return; }
    if (root[name] && Object.prototype.hasOwnProperty.call(root, name)) { classes[tag] = root[name]; return; }
    var own = classes[tag] = named(class extends of { constructor(n, ns) { super(n, ns); } }, name);
    defineHidden(root, name, own);
  });
  [["blockquote", "q"], ["ins", "del"], ["th", "td"], ["colgroup", "col"], ["thead", "tbody"], ["tfoot", "tbody"], ["h2", "h1"], ["h3", "h1"], ["h4", "h1"], ["h5", "h1"], ["h6", "h1"], ["listing", "pre"], ["xmp", "pre"]].forEach(function (p) { classes[p[0]] = classes[p[1]]; });
  var drawn = Object.create(null);
  defineHidden(root, "SVGElement", named(SVGElement, "SVGElement"));
  defineHidden(root, "SVGGraphicsElement", named(class extends SVGElement {}, "SVGGraphicsElement"));
  ["SVG", "Path", "G", "Rect", "Circle", "Line", "Polygon", "Polyline", "Ellipse", "Text", "Use", "Image", "A", "Defs", "Symbol", "TSpan", "ForeignObject", "ClipPath", "Mask", "Pattern", "Marker", "Title", "Desc", "Stop", "LinearGradient", "RadialGradient", "Filter"].forEach(function (k) {
    var name = "SVG" + k + "Element", C = named(class extends root.SVGGraphicsElement {}, name);
    drawn[k === "SVG" || k === "TSpan" ? k.toLowerCase() : k[0].toLowerCase() + k.slice(1)] = C;
    defineHidden(root, name, C);
  });
  var defined = Object.create(null);
  var plain = /^(?:abbr|acronym|address|article|aside|b|basefont|bdi|bdo|big|center|cite|code|dd|dfn|dt|em|figcaption|figure|footer|header|hgroup|i|kbd|main|mark|nav|nobr|noembed|noframes|noscript|plaintext|rb|rp|rt|rtc|ruby|s|samp|search|section|small|strike|strong|sub|summary|sup|tt|u|var|wbr)$/;
  function create(name, ns) {
    name = String(name);
    if (!/^[A-Za-z_:][^\s<>\/]*$/.test(name)) throw new DOMException("The tag name provided ('" + name + "') is not a valid name.", "InvalidCharacterError");
    if (!ns || ns === html) {
      name = name.toLowerCase();
      if (dom.settle) dom.settle(name);
      var e = Reflect.construct(HTMLElement, [name, html], classes[name] || (name.indexOf("-") > 0 || plain.test(name) ? HTMLElement : classes.unknown));
      if (dom.made && name.indexOf("-") > 0) dom.made(e);
      return e;
    }
    return new (ns === "http://www.w3.org/2000/svg" && drawn[name] || SVGElement)(name, ns);
  }

  class Document extends Node {
    constructor() { super(9, "#document"); this.readyState = "loading"; this.currentScript = null; this.referrer = ""; this.hidden = false; this.visibilityState = "visible"; this.designMode = "off"; }
    get documentElement() { return this.firstElementChild; }
    get head() { return this.documentElement && elementsIn(this.documentElement).filter(function (e) { return e.localName === "head"; })[0] || null; }
    get body() { return this.documentElement && elementsIn(this.documentElement).filter(function (e) { return e.localName === "body"; })[0] || null; }
    get title() { var t = this.querySelector("title"); return t ? t.textContent : ""; }
    set title(s) { var t = this.querySelector("title"); if (t) t.textContent = s; }
    get defaultView() { return room.window; }
    get location() { return root.location; }
    get URL() { return location.href; }
    get documentURI() { return location.href; }
    get domain() { return location.hostname; }
    get compatMode() { return room.quirks ? "BackCompat" : "CSS1Compat"; }
    get characterSet() { return "UTF-8"; }
    get charset() { return "UTF-8"; }
    get contentType() { return "text/html"; }
    get doctype() { return room.quirks ? null : { name: "html", publicId: "", systemId: "", nodeType: 10 }; }
    get activeElement() { return active && active.isConnected ? active : this.body; }
    get scrollingElement() { return this.documentElement; }
    get scripts() { return this.getElementsByTagName("script"); }
    get children() { return collection(elementsIn(this)); }
    get forms() { return this.getElementsByTagName("form"); }
    get images() { return this.getElementsByTagName("img"); }
    get cookie() { return Array.from(cookies.values()).join("; "); }
    set cookie(v) {
      var pair = String(v).split(";")[0].trim(), k = pair.split("=")[0];
      if (/;\s*(?:max-age=(?:0|-\d+)\b|expires=[^;]*(?:19\d\d|200\d))/i.test(v)) cookies.delete(k); else cookies.set(k, pair);
    }
    get lastModified() { return "01/01/2026 00:00:00"; }
    get inputEncoding() { return "UTF-8"; }
    get embeds() { return this.getElementsByTagName("embed"); }
    get anchors() { return this.querySelectorAll("a[name]"); }
    get dir() { return this.documentElement.dir; }
    set dir(v) { this.documentElement.dir = v; }
    get fullscreenElement() { return null; }
    get fullscreenEnabled() { return true; }
    get pointerLockElement() { return null; }
    get pictureInPictureElement() { return null; }
    get adoptedStyleSheets() { return this.sheets || []; }
    set adoptedStyleSheets(v) { defineHidden(this, "sheets", v); }
    append() { Node.prototype.append.apply(this, arguments); }
    elementsFromPoint() { return []; }
    queryCommandState() { return false; } queryCommandEnabled() { return false; } queryCommandValue() { return ""; }
    exitFullscreen() { return new Promise(noop); }
    get links() { return collection(select(this, "a[href], area[href]", false)); }
    get styleSheets() { return select(this, "style, link[rel=stylesheet]", false).map(function (e) { return { ownerNode: e, href: e.getAttribute("href"), cssRules: [], rules: [], disabled: false, insertRule: function () { return 0; }, deleteRule: function () {} }; }); }
    get fonts() { return { ready: new Promise(function () {}), load: function () { return new Promise(function () {}); }, check: function () { return true; }, add: function () {}, forEach: function () {}, addEventListener: function () {} }; }
    get implementation() { return { createHTMLDocument: function (title) { var d = new Document(); build(d, [["html", [], [["head", [], title === undefined ? [] : [["title", [], [String(title)]]]], ["body", [], []]]]]); return d; }, createDocumentType: function (name) { return { name: name, nodeType: 10 }; }, hasFeature: function () { return true; }, createDocument: function () { return new Document(); } }; }
    get all() { return this.getElementsByTagName("*"); }
    get timeline() { return anything(); }
    getElementById(id) { id = String(id); return !everIDs.has(id) ? null : found(this, function (e) { return e.getAttribute("id") === id; })[0] || null; }
    getElementsByName(name) { return listOf(found(this, function (e) { return e.getAttribute("name") === String(name); })); }
    createElement(name) { var e = create(name); if (e.localName === "script") defineHidden(e, "asyncSet", true); return e; }
    createElementNS(ns, name) { return create(name, ns); }
    createTextNode(s) { return new Text(s); }
    createComment(s) { return new Comment(s); }
    createDocumentFragment() { return new DocumentFragment(); }
    createAttribute(k) { return { name: k, value: "" }; }
    createEvent(kind) {
      var C = { customevent: "CustomEvent", uievent: "UIEvent", uievents: "UIEvent", mouseevent: "MouseEvent", mouseevents: "MouseEvent", keyboardevent: "KeyboardEvent", focusevent: "FocusEvent", messageevent: "MessageEvent", storageevent: "StorageEvent", event: "Event", events: "Event", htmlevents: "Event", svgevents: "Event", touchevent: "TouchEvent", dragevent: "DragEvent", hashchangeevent: "HashChangeEvent", compositionevent: "CompositionEvent", textevent: "CompositionEvent", beforeunloadevent: "Event", devicemotionevent: "Event", deviceorientationevent: "Event" }[String(kind).toLowerCase()];
      if (!C) throw new DOMException("The provided event type ('" + kind + "') is invalid.", "NotSupportedError");
      return new root[C]("");
    }
    createRange() { return new Range(); }
    createCDATASection() { throw new DOMException("This operation is not supported for HTML documents.", "NotSupportedError"); }
    createProcessingInstruction() { return anything(); }
    createTreeWalker(from, show, filter) { return new TreeWalker(from, show, filter); }
    createNodeIterator(from, show, filter) { return new NodeIterator(from, show, filter); }
    importNode(n, deep) { return n.cloneNode(deep); }
    adoptNode(n) { n.remove(); return n; }
    elementFromPoint() { return null; }
    hasFocus() { return true; }
    execCommand() { return false; }
    queryCommandSupported() { return false; }
    getSelection() { return selection; }
    open() { return this; } close() {}
    write() { for (var i = 0; i < arguments.length; i++) room.write(String(arguments[i])); }
    writeln() { this.write.apply(this, arguments); }
  }
  var cookies = new Map();
  var document = new Document();

  // Walks over nodes (DOM Standard, section 6).
  function accepts(w, n) {
    if (!((w.whatToShow >>> (n.nodeType - 1)) & 1)) return 3;
    if (!w.filter) return 1;
    return typeof w.filter === "function" ? w.filter(n) : w.filter.acceptNode(n);
  }
  class TreeWalker {
    constructor(from, show, filter) { this.root = from; this.whatToShow = show === undefined || show === null ? 4294967295 : show >>> 0; this.filter = filter || null; this.currentNode = from; }
    nextNode() {
      var n = this.currentNode, verdict = 1;
      for (;;) {
        while (verdict !== 2 && n.firstChild) { n = n.firstChild; verdict = accepts(this, n); if (verdict === 1) return this.currentNode = n; }
        for (; n; n = n.parentNode) { if (n === this.root) return null; if (n.nextSibling) { n = n.nextSibling; break; } }
        if (!n) return null;
        verdict = accepts(this, n);
        if (verdict === 1) return this.currentNode = n;
      }
    }
    previousNode() {
      var all = [this.root], at;
      walk(this.root, function (n) { all.push(n); });
      for (at = all.indexOf(this.currentNode) - 1; at >= 0; at--) if (accepts(this, all[at]) === 1) return this.currentNode = all[at];
      return null;
    }
    parentNode() { for (var n = this.currentNode; n && n !== this.root;) { n = n.parentNode; if (n && accepts(this, n) === 1) return this.currentNode = n; } return null; }
    firstChild() { return this.child(this.currentNode.nodes); }
    lastChild() { return this.child(this.currentNode.nodes.slice().reverse()); }
    child(list) { for (var i = 0; i < list.length; i++) if (accepts(this, list[i]) === 1) return this.currentNode = list[i]; return null; }
    nextSibling() { for (var n = this.currentNode.nextSibling; n; n = n.nextSibling) if (accepts(this, n) === 1) return this.currentNode = n; return null; }
    previousSibling() { for (var n = this.currentNode.previousSibling; n; n = n.previousSibling) if (accepts(this, n) === 1) return this.currentNode = n; return null; }
  }
  class NodeIterator {
    constructor(from, show, filter) { this.root = from; this.whatToShow = show === undefined || show === null ? 4294967295 : show >>> 0; this.filter = filter || null; defineHidden(this, "at", -1); }
    list() { var all = [this.root]; walk(this.root, function (n) { all.push(n); }); return all; }
    nextNode() { for (var all = this.list(); ++this.at < all.length;) if (accepts(this, all[this.at]) === 1) return all[this.at]; return null; }
    previousNode() { for (var all = this.list(); this.at > 0;) if (accepts(this, all[--this.at]) === 1) return all[this.at]; return null; }
    detach() {}
  }
  // Ranges (DOM Standard, section 5), as far as they go along whole nodes and through texts.
  function indexOf(n) { return n.parentNode.nodes.indexOf(n); }
  function sizeOf(n) { return n.nodeType === 3 || n.nodeType === 8 ? n.length : n.nodes.length; }
  class Range {
    constructor() { this.startContainer = this.endContainer = document; this.startOffset = this.endOffset = 0; }
    get collapsed() { return this.startContainer === this.endContainer && this.startOffset === this.endOffset; }
    get commonAncestorContainer() { var n = this.startContainer; while (n && !n.contains(this.endContainer)) n = n.parentNode; return n; }
    setStart(n, at) { check(n, at); this.startContainer = n; this.startOffset = at; if (order(n, at, this.endContainer, this.endOffset) > 0) { this.endContainer = n; this.endOffset = at; } }
    setEnd(n, at) { check(n, at); this.endContainer = n; this.endOffset = at; if (order(this.startContainer, this.startOffset, n, at) > 0) { this.startContainer = n; this.startOffset = at; } }
    setStartBefore(n) { this.setStart(n.parentNode, indexOf(n)); }
    setStartAfter(n) { this.setStart(n.parentNode, indexOf(n) + 1); }
    setEndBefore(n) { this.setEnd(n.parentNode, indexOf(n)); }
    setEndAfter(n) { this.setEnd(n.parentNode, indexOf(n) + 1); }
    collapse(start) { if (start) { this.endContainer = this.startContainer; this.endOffset = this.startOffset; } else { this.startContainer = this.endContainer; this.startOffset = this.endOffset; } }
    selectNode(n) { this.setStartBefore(n); this.setEndAfter(n); }
    selectNodeContents(n) { this.startContainer = this.endContainer = n; this.startOffset = 0; this.endOffset = sizeOf(n); }
    createContextualFragment(s) { var n = this.startContainer; return fragment(s, n.nodeType === 1 ? n.localName : n.parentNode && n.parentNode.localName || "body", true); }
    cloneRange() { return Object.assign(new Range(), this); }
    parts(take) {
      var f = new DocumentFragment(), from = this.startContainer, to = this.endContainer, a = this.startOffset, b = this.endOffset;
      if (from === to && from.nodeType === 3) { f.appendChild(new Text(from.data.slice(a, b))); if (take) from.data = from.data.slice(0, a) + from.data.slice(b); }
      else if (from === to) from.nodes.slice(a, b).forEach(function (n) { f.appendChild(take ? n : n.cloneNode(true)); });
      else { host.touch(); return f; }
      if (take) this.collapse(true);
      return f;
    }
    cloneContents() { return this.parts(false); }
    extractContents() { return this.parts(true); }
    deleteContents() { this.parts(true); }
    insertNode(n) {
      var at = this.startContainer;
      if (at.nodeType === 3) { var rest = at.splitText(this.startOffset); rest.parentNode.insertBefore(n, rest); return; }
      at.insertBefore(n, at.nodes[this.startOffset] || null);
    }
    surroundContents(n) { var f = this.extractContents(); while (n.firstChild) n.removeChild(n.firstChild); this.insertNode(n); n.appendChild(f); this.selectNode(n); }
    toString() {
      if (this.startContainer === this.endContainer && this.startContainer.nodeType === 3) return this.startContainer.data.slice(this.startOffset, this.endOffset);
      var s = "", r = this;
      walk(this.commonAncestorContainer, function (n) {
        if (n.nodeType !== 3 || order(n, n.length, r.startContainer, r.startOffset) <= 0 || order(n, 0, r.endContainer, r.endOffset) >= 0) return;
        s += n.data.slice(n === r.startContainer ? r.startOffset : 0, n === r.endContainer ? r.endOffset : undefined);
      });
      return s;
    }
    compareBoundaryPoints(how, o) {
      var own = how === 0 || how === 3 ? [this.startContainer, this.startOffset] : [this.endContainer, this.endOffset], other = how === 0 || how === 1 ? [o.startContainer, o.startOffset] : [o.endContainer, o.endOffset];
      return order(own[0], own[1], other[0], other[1]);
    }
    comparePoint(n, at) { return order(n, at, this.startContainer, this.startOffset) < 0 ? -1 : order(n, at, this.endContainer, this.endOffset) > 0 ? 1 : 0; }
    isPointInRange(n, at) { return this.comparePoint(n, at) === 0; }
    intersectsNode(n) { var p = n.parentNode; return !p || order(p, indexOf(n), this.endContainer, this.endOffset) < 0 && order(p, indexOf(n) + 1, this.startContainer, this.startOffset) > 0; }
    getBoundingClientRect() { return Element.prototype.getBoundingClientRect.call(this); }
    getClientRects() { return []; }
    detach() {}
  }
  function check(n, at) { if (at > sizeOf(n)) throw new DOMException("The offset " + at + " is larger than the node's length (" + sizeOf(n) + ").", "IndexSizeError"); }
  // order compares two places in a tree (DOM Standard, section 5.2).
  function order(a, i, b, j) {
    if (a === b) return i < j ? -1 : i > j ? 1 : 0;
    if (a.contains(b)) { for (var n = b; n.parentNode !== a;) n = n.parentNode; return indexOf(n) < i ? 1 : -1; }
    if (b.contains(a)) return -order(b, j, a, i);
    return a.compareDocumentPosition(b) & 4 ? -1 : 1;
  }
  ["START_TO_START", "START_TO_END", "END_TO_END", "END_TO_START"].forEach(function (k, i) { Range[k] = Range.prototype[k] = i; });
  class Selection {
    constructor() { defineHidden(this, "range", null); }
    get rangeCount() { return this.range ? 1 : 0; }
    get type() { return !this.range ? "None" : this.range.collapsed ? "Caret" : "Range"; }
    get isCollapsed() { return !this.range || this.range.collapsed; }
    get anchorNode() { return this.range && this.range.startContainer; }
    get anchorOffset() { return this.range ? this.range.startOffset : 0; }
    get focusNode() { return this.range && this.range.endContainer; }
    get focusOffset() { return this.range ? this.range.endOffset : 0; }
    get baseNode() { return this.anchorNode; }
    getRangeAt(i) { if (i || !this.range) throw new DOMException("Failed to execute 'getRangeAt' on 'Selection': " + i + " is not a valid index.", "IndexSizeError"); return this.range; }
    addRange(r) { if (!this.range) this.range = r; }
    removeRange(r) { if (this.range === r) this.range = null; }
    removeAllRanges() { this.range = null; }
    empty() { this.range = null; }
    collapse(n, at) { this.range = null; if (n) { this.range = new Range(); this.range.setStart(n, at || 0); this.range.setEnd(n, at || 0); } }
    setPosition(n, at) { this.collapse(n, at); }
    collapseToStart() { if (this.range) this.range.collapse(true); }
    collapseToEnd() { if (this.range) this.range.collapse(false); }
    selectAllChildren(n) { this.range = new Range(); this.range.selectNodeContents(n); }
    setBaseAndExtent(a, i, b, j) { this.range = new Range(); this.range.setStart(a, i); this.range.setEnd(b, j); }
    extend(n, at) { if (this.range) this.range.setEnd(n, at); }
    containsNode() { return false; }
    deleteFromDocument() { if (this.range) this.range.deleteContents(); }
    modify() {}
    toString() { return this.range ? this.range.toString() : ""; }
  }
  var selection = new Selection();

  // Observers (DOM Standard, section 4.3): what changed is told in a microtask.
  var watchers = [], told = false;
  function mutated(target, type, record) {
    if (!watchers.length) return;
    for (var i = 0; i < watchers.length; i++) {
      var w = watchers[i], o = w.options;
      if (w.target !== target && !(o.subtree && w.target.contains(target)) || !o[type] || type === "attributes" && o.attributeFilter && o.attributeFilter.indexOf(record.attributeName) < 0) continue;
      var r = Object.assign({ type: type, target: target, addedNodes: listOf([]), removedNodes: listOf([]), previousSibling: null, nextSibling: null, attributeName: null, attributeNamespace: null, oldValue: null }, record);
      if (!o[type + "OldValue"] && !(type === "attributes" && o.attributeOldValue)) r.oldValue = null;
      if (w.observer.records.indexOf(r) < 0) w.observer.records.push(r);
    }
    if (told) return;
    told = true;
    Promise.resolve().then(function () {
      told = false;
      new Set(watchers.map(function (w) { return w.observer; })).forEach(function (o) { var list = o.takeRecords(); if (list.length) host.run(function () { o.f.call(o, list, o); }); });
    });
  }
  class MutationObserver {
    constructor(f) { if (typeof f !== "function") throw new TypeError("Failed to construct 'MutationObserver': parameter 1 is not of type 'Function'."); defineHidden(this, "f", f); defineHidden(this, "records", []); }
    observe(target, options) {
      if (!(target instanceof Node)) throw new TypeError("Failed to execute 'observe' on 'MutationObserver': parameter 1 is not of type 'Node'.");
      var o = Object.assign({}, options), self = this;
      if ((o.attributeOldValue || o.attributeFilter) && o.attributes === undefined) o.attributes = true;
      if (o.characterDataOldValue && o.characterData === undefined) o.characterData = true;
      if (!o.childList && !o.attributes && !o.characterData) throw new TypeError("Failed to execute 'observe' on 'MutationObserver': The options object must set at least one of 'attributes', 'characterData', or 'childList' to true.");
      watchers = watchers.filter(function (w) { return w.observer !== self || w.target !== target; });
      watchers.push({ observer: this, target: target, options: o });
    }
    disconnect() { var self = this; watchers = watchers.filter(function (w) { return w.observer !== self; }); this.records = []; }
    takeRecords() { var l = this.records; this.records = []; return l; }
  }
  // Those of sizes and of what is in view tell once, of a page that has no layout here: what follows is not sure.
  function viewObserver(entry) {
    return class {
      constructor(f, options) {
        if (typeof f !== "function") throw new TypeError("The callback provided as parameter 1 is not a function.");
        defineHidden(this, "f", f); defineHidden(this, "targets", []);
        this.root = options && options.root || null; this.rootMargin = options && options.rootMargin || "0px 0px 0px 0px"; this.thresholds = [].concat(options && options.threshold || 0);
      }
      observe(e) {
        if (!(e instanceof Element)) throw new TypeError("Failed to execute 'observe': parameter 1 is not of type 'Element'.");
        var self = this;
        this.targets.push(e);
        later(function () { if (self.targets.indexOf(e) >= 0) { host.touch(); self.f.call(self, [entry(e)], self); } }, 1);
      }
      unobserve(e) { this.targets = this.targets.filter(function (t) { return t !== e; }); }
      disconnect() { this.targets = []; }
      takeRecords() { return []; }
    };
  }
  var arrivedAt = function (e) { if (dom.arrived && e.localName.indexOf("-") > 0) dom.arrived(e); };
  function arrived(n) { arrivedAt(n); walk(n, function (e) { if (isElement(e)) arrivedAt(e); }); }
  function gone(n) { if (!dom.left) return; var tell = function (e) { if (isElement(e) && e.localName.indexOf("-") > 0) dom.left(e); }; tell(n); walk(n, tell); if (active && n.contains(active)) active = null; }

  // Markup out of nodes, and nodes out of what the host parsed: a text, or [tag, attributes, children].
  var voids = /^(?:area|base|br|col|embed|hr|img|input|link|meta|source|track|wbr)$/;
  function escaped(s) { return s.replace(/&/g, "&amp;").replace(/\u00a0/g, "&nbsp;").replace(/</g, "&lt;").replace(/>/g, "&gt;"); }
  function text(n) {
    if (n.nodeType === 3) return n.parentNode && /^(?:script|style)$/.test(n.parentNode.localName) ? n.data : escaped(n.data);
    if (n.nodeType === 8) return "<!--" + n.data + "-->";
    var s = "<" + n.localName;
    n.map.forEach(function (v, k) { s += " " + k + '="' + escaped(v).replace(/"/g, "&quot;") + '"'; });
    return s + ">" + (voids.test(n.localName) ? "" : (n.localName === "template" ? n.content : n).nodes.map(text).join("") + "</" + n.localName + ">");
  }
  function build(parent, list) {
    list.forEach(function (item) {
      if (typeof item === "string") { parent.nodes.push(adopt(new Text(item), parent)); return; }
      if (item[0] === "!") { parent.nodes.push(adopt(new Comment(item[1]), parent)); return; }
      var e = create(item[0], item[3]);
      for (var i = 0; i < item[1].length; i += 2) e.map.set(item[1][i], item[1][i + 1]);
      if (e.map.has("id")) everIDs.add(e.map.get("id"));
      parent.nodes.push(adopt(e, parent));
      if (e.upgraded) e.map.forEach(function (v, k) { dom.attributeChanged(e, k, null, v); });
      if (e.localName.indexOf("-") > 0 && e.isConnected) arrivedAt(e);
      build(item[0] === "template" && e.content ? e.content : e, item[2]);
    });
  }
  function adopt(n, parent) { n.parentNode = parent; return n; }

  // Selectors (Selectors Level 4, as far as scripts use them in their first moments).
  var selectors = Object.create(null);
  function parseSelector(s) {
    s = String(s);
    if (selectors[s]) return selectors[s];
    var at = 0;
    function fail() { throw new DOMException("'" + s + "' is not a valid selector.", "SyntaxError"); }
    function spaces() { var from = at; while (/\s/.test(s[at] || "")) at++; return at > from; }
    function name() {
      var m = /^(?:\\[^\n]|[\w\u00a0-\uffff-])+/.exec(s.slice(at));
      if (!m) fail();
      at += m[0].length;
      return m[0].replace(/\\([0-9a-f]{1,6})\s?/gi, function (x, h) { return String.fromCodePoint(parseInt(h, 16)); }).replace(/\\(.)/g, "$1");
    }
    function list(end) {
      var all = [];
      do { spaces(); all.push(complex(end)); } while (s[at] === "," && ++at);
      if (end ? s[at] !== end : at < s.length) fail();
      return all;
    }
    function complex(end) {
      var steps = [], how = " ";
      if (/[>+~]/.test(s[at] || "") && end) { how = s[at++]; spaces(); }
      for (;;) {
        steps.push({ how: how, tests: compound() });
        var gap = spaces();
        if (at >= s.length || s[at] === "," || s[at] === end) return steps;
        if (/[>+~]/.test(s[at])) { how = s[at++]; spaces(); } else if (gap) how = " "; else fail();
      }
    }
    function compound() {
      var tests = [];
      for (;;) {
        var c = s[at];
        if (c === "*") { at++; tests.push(function () { return true; }); }
        else if (c === "#") { at++; (function (id) { tests.push(function (e) { return e.getAttribute("id") === id; }); })(name()); }
        else if (c === ".") { at++; (function (k) { tests.push(function (e) { return e.classList.contains(k); }); })(name()); }
        else if (c === "[") tests.push(attribute());
        else if (c === ":") tests.push(pseudo());
        else if (c && /[\w\\\u00a0-\uffff-]/.test(c)) { (function (tag) { tests.push(function (e) { return e.localName === tag; }); })(name().toLowerCase()); }
        else break;
      }
      if (!tests.length) fail();
      return tests;
    }
    function attribute() {
      at++; spaces();
      var k = name(); spaces();
      var m = /^([~|^$*!]?)=\s*(?:"([^"]*)"|'([^']*)'|((?:\\.|[\w\u00a0-\uffff-])+))\s*([is]?)\s*\]/i.exec(s.slice(at));
      if (m && m[1] !== "!") {
        at += m[0].length;
        var v = m[2] !== undefined ? m[2] : m[3] !== undefined ? m[3] : m[4];
        var blind = /i/i.test(m[5]);
        v = v.replace(/\\(.)/g, "$1");
        if (blind) v = v.toLowerCase();
        return function (e) {
          var has = e.getAttribute(k);
          if (has === null) return false;
          if (blind) has = has.toLowerCase();
          switch (m[1]) {
            case "": return has === v;
            case "~": return has.split(/\s+/).indexOf(v) >= 0;
            case "|": return has === v || has.indexOf(v + "-") === 0;
            case "^": return v !== "" && has.indexOf(v) === 0;
            case "$": return v !== "" && has.slice(-v.length) === v;
          }
          return v !== "" && has.indexOf(v) >= 0;
        };
      }
      if (s[at] !== "]") fail();
      at++;
      return function (e) { return e.hasAttribute(k); };
    }
    function pseudo() {
      at++;
      if (s[at] === ":") { at++; name(); return function () { return false; }; }
      var k = name().toLowerCase();
      if (s[at] === "(") {
        at++;
        if (/^(?:not|is|where|matches|any|-webkit-any|has)$/.test(k)) {
          var inner = list(")");
          at++;
          if (k === "has") return function (e) { return inner.some(function (steps) { return related(e, steps); }); };
          return function (e) { return matchesAny(e, inner) === (k !== "not"); };
        }
        var close = s.indexOf(")", at);
        if (close < 0) fail();
        var arg = s.slice(at, close).trim();
        at = close + 1;
        if (/^nth-(?:last-)?(?:child|of-type)$/.test(k)) {
          var of = / of (.+)$/.exec(arg), among = of && parseSelector(of[1]);
          if (of) arg = arg.slice(0, of.index).trim();
          var m = /^(?:(odd)|(even)|([+-]?\d*)n\s*([+-]\s*\d+)?|([+-]?\d+))$/.exec(arg);
          if (!m) fail();
          var a = m[1] || m[2] ? 2 : m[5] !== undefined ? 0 : m[3] === "" || m[3] === "+" ? 1 : m[3] === "-" ? -1 : Number(m[3]);
          var b = m[1] ? 1 : m[2] ? 0 : m[5] !== undefined ? Number(m[5]) : Number((m[4] || "0").replace(/\s/g, ""));
          return function (e) {
            var all = e.parentNode ? elementsIn(e.parentNode) : [e];
            if (among) { all = all.filter(function (x) { return matchesAny(x, among); }); if (all.indexOf(e) < 0) return false; }
            if (/type/.test(k)) all = all.filter(function (x) { return x.localName === e.localName; });
            var n = /last/.test(k) ? all.length - all.indexOf(e) : all.indexOf(e) + 1;
            return a === 0 ? n === b : (n - b) / a >= 0 && (n - b) % a === 0;
          };
        }
        if (k === "lang" || k === "dir" || k === "host") return function () { return false; };
        fail();
      }
      switch (k) {
        case "first-child": return function (e) { return !e.previousElementSibling; };
        case "last-child": return function (e) { return !e.nextElementSibling; };
        case "only-child": return function (e) { return !e.previousElementSibling && !e.nextElementSibling; };
        case "first-of-type": return function (e) { return !e.parentNode || elementsIn(e.parentNode).filter(function (x) { return x.localName === e.localName; })[0] === e; };
        case "last-of-type": return function (e) { return !e.parentNode || elementsIn(e.parentNode).filter(function (x) { return x.localName === e.localName; }).pop() === e; };
        case "empty": return function (e) { return !e.firstChild; };
        case "root": return function (e) { return e === document.documentElement; };
        case "scope": return function (e) { return e === scope; };
        case "checked": return function (e) { return !!(e.checked || e.localName === "option" && e.selected); };
        case "disabled": return function (e) { return !!dom.isDisabled(e); };
        case "enabled": return function (e) { return !dom.isDisabled(e) && /^(?:input|button|select|textarea|option|fieldset)$/.test(e.localName); };
        case "link": case "any-link": return function (e) { return e.localName === "a" && e.hasAttribute("href"); };
        case "required": return function (e) { return !!e.required; };
        case "optional": return function (e) { return /^(?:input|select|textarea)$/.test(e.localName) && !e.required; };
        case "defined": return function (e) { return e.localName.indexOf("-") < 0 || !!defined[e.localName]; };
        case "focus": case "focus-visible": return function (e) { return e === active; };
        case "focus-within": return function (e) { return !!active && e.contains(active); };
        case "invalid": return function (e) { return !!e.validity && e.willValidate && !e.validity.valid; };
        case "valid": return function (e) { return !!e.validity && e.willValidate && e.validity.valid; };
        case "indeterminate": return function (e) { return !!e.indeterminate; };
        case "placeholder-shown": return function (e) { return !!e.placeholder && e.value === ""; };
        case "read-only": return function (e) { return !writable(e); };
        case "read-write": return writable;
        case "only-of-type": return function (e) { return !e.parentNode || elementsIn(e.parentNode).filter(function (x) { return x.localName === e.localName; }).length === 1; };
        case "host": case "open": return function (e) { return k === "open" && !!e.open; };
        case "hover": case "active": case "visited": case "target": case "fullscreen": case "autofill": case "user-invalid": case "user-valid": case "in-range": case "out-of-range": case "default": case "playing": case "paused": case "modal": case "popover-open":
          return function () { return false; };
      }
      fail();
    }
    return selectors[s] = list("");
  }
  function writable(e) { return /^(?:input|textarea)$/.test(e.localName) && !e.readOnly && !dom.isDisabled(e) && !/^(?:checkbox|radio|range|color|file|hidden|submit|image|reset|button)$/.test(e.type) || !!e.isContentEditable; }
  var scope = null;
  // related tells whether something stands to an element as a relative selector says.
  function related(e, steps) {
    var all = /[+~]/.test(steps[0].how) && e.parentNode ? e.parentNode : e;
    return found(all, function (d) { return matchFrom(d, steps, steps.length - 1, e); }).length > 0;
  }
  function matchFrom(d, steps, at, e) {
    if (!steps[at].tests.every(function (t) { return t(d); })) return false;
    var n, ok = at === 0 ? function (n) { return n === e; } : function (n) { return isIn(n) && matchFrom(n, steps, at - 1, e); };
    switch (steps[at].how) {
      case ">": return ok(d.parentNode);
      case "+": return ok(d.previousElementSibling);
      case "~": for (n = d.previousElementSibling; n; n = n.previousElementSibling) if (ok(n)) return true; return false;
    }
    for (n = d.parentNode; n; n = n.parentNode) if (ok(n)) return true;
    return false;
  }
  function matchesAny(e, list) { return list.some(function (steps) { return matchSteps(e, steps, steps.length - 1); }); }
  function matchSteps(e, steps, at) {
    if (!steps[at].tests.every(function (t) { return t(e); })) return false;
    if (at === 0) return true;
    var n;
    switch (steps[at].how) {
      case ">": return isIn(e.parentNode) && matchSteps(e.parentNode, steps, at - 1);
      case "+": n = e.previousElementSibling; return !!n && matchSteps(n, steps, at - 1);
      case "~": for (n = e.previousElementSibling; n; n = n.previousElementSibling) if (matchSteps(n, steps, at - 1)) return true; return false;
    }
    for (n = e.parentNode; isIn(n); n = n.parentNode) if (matchSteps(n, steps, at - 1)) return true;
    return false;
  }
  function isIn(n) { return !!n && n.nodeType === 1; }
  function select(from, s, one) {
    var list = parseSelector(s), out = [];
    var old = scope;
    scope = from;
    walk(from, function (n) { if (!(one && out.length) && isElement(n) && matchesAny(n, list)) out.push(n); });
    scope = old;
    return out;
  }

  // Addresses, as far as scripts take them apart.
  function resolve(ref) {
    ref = String(ref).trim();
    if (/^[a-z][\w+.-]*:/i.test(ref)) return ref;
    var here = parts(room.href);
    if (ref.indexOf("//") === 0) return here.protocol + ref;
    if (ref[0] === "/") return here.origin + ref;
    if (ref[0] === "#") return room.href.replace(/#.*/, "") + ref;
    var dir = here.pathname.replace(/[^\/]*$/, "");
    var list = (dir + ref).split("/"), out = [];
    list.forEach(function (p) { if (p === "..") { if (out.length > 1) out.pop(); } else if (p !== ".") out.push(p); });
    return here.origin + out.join("/");
  }
  function parts(href) {
    var m = /^([a-z][\w+.-]*:)?(?:\/\/(?:[^\/?#@]*@)?([^\/?#:]*)(?::(\d+))?)?([^?#]*)(\?[^#]*)?(#.*)?$/i.exec(href) || [];
    return { protocol: m[1] || ":", hostname: m[2] || "", port: m[3] || "", host: (m[2] || "") + (m[3] ? ":" + m[3] : ""), origin: (m[1] || "") + "//" + (m[2] || "") + (m[3] ? ":" + m[3] : ""), pathname: m[4] || "/", search: m[5] || "", hash: m[6] || "" };
  }

  // Time stands still but for timers, which run one after the other.
  var timers = [], clock = 0, ids = 0;
  function later(f, ms, every, args) {
    timers.push({ id: ++ids, at: clock + Math.max(1, Number(ms) || 0), f: f, by: typeof f === "function" ? -1 : host.who(), every: every ? Math.max(4, Number(ms) || 4) : 0, args: args });
    return ids;
  }
  function cancel(id) { timers = timers.filter(function (t) { return t.id !== id; }); }

  var alphabet = "ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789+/";
  function bytesOf(s) {
    for (var out = "", bits = 0, n = 0, i = 0; i < s.length; i++) { n = n << 6 | alphabet.indexOf(s[i]); if ((bits += 6) >= 8) out += String.fromCharCode(n >> (bits -= 8) & 255); }
    return out;
  }
  function base64Of(s) {
    for (var out = "", i = 0; i < s.length; i += 3) {
      var n = s.charCodeAt(i) << 16 | (s.charCodeAt(i + 1) || 0) << 8 | (s.charCodeAt(i + 2) || 0);
      out += alphabet[n >> 18] + alphabet[n >> 12 & 63] + (i + 1 < s.length ? alphabet[n >> 6 & 63] : "=") + (i + 2 < s.length ? alphabet[n & 63] : "=");
    }
    return out;
  }
  function noop() {}
  // copyOf copies a value with all that is in it (HTML Standard, section 2.7).
  function copyOf(v, seen) {
    if (typeof v === "function" || typeof v === "symbol" || v instanceof Node) throw new DOMException("Failed to execute 'structuredClone' on 'Window': " + String(v) + " could not be cloned.", "DataCloneError");
    if (v === null || typeof v !== "object") return v;
    if (seen.has(v)) return seen.get(v);
    var out;
    if (v instanceof Date) out = new Date(v.getTime());
    else if (v instanceof RegExp) out = new RegExp(v.source, v.flags);
    else if (v instanceof Map) { seen.set(v, out = new Map()); v.forEach(function (x, k) { out.set(copyOf(k, seen), copyOf(x, seen)); }); }
    else if (v instanceof Set) { seen.set(v, out = new Set()); v.forEach(function (x) { out.add(copyOf(x, seen)); }); }
    else if (v instanceof Error) { out = new (root[v.name] || Error)(v.message); }
    else if (ArrayBuffer.isView(v)) out = new v.constructor(v);
    else { seen.set(v, out = Array.isArray(v) ? [] : {}); Object.keys(v).forEach(function (k) { out[k] = copyOf(v[k], seen); }); }
    seen.set(v, out);
    return out;
  }
  function observer() { return class { constructor() {} observe() {} unobserve() {} disconnect() {} takeRecords() { return []; } }; }
  class AbortSignal extends EventTarget {
    constructor() { super(); throw new TypeError("Illegal constructor"); }
    throwIfAborted() { if (this.aborted) throw this.reason; }
    static abort(why) { var s = Object.create(AbortSignal.prototype); s.aborted = false; abort(s, why); return s; }
    static timeout(ms) { var s = Object.create(AbortSignal.prototype); s.aborted = false; later(function () { abort(s, new DOMException("signal timed out", "TimeoutError")); }, ms); return s; }
    static any(list) { var s = Object.create(AbortSignal.prototype); s.aborted = false; Array.from(list).forEach(function (o) { if (o.aborted) abort(s, o.reason); else o.addEventListener("abort", function () { abort(s, o.reason); }); }); return s; }
  }
  function abort(s, why) { if (s.aborted) return; s.aborted = true; s.reason = why === undefined ? new DOMException("signal is aborted without reason", "AbortError") : why; fire(s, new Event("abort")); }
  function Storage() { throw new TypeError("Illegal constructor"); }
  function storage() {
    var m = new Map();
    var o = Object.create(Storage.prototype);
    Object.defineProperties(o, Object.getOwnPropertyDescriptors({ getItem: function (k) { return m.has(String(k)) ? m.get(String(k)) : null; }, setItem: function (k, v) { if (arguments.length < 2) throw new TypeError("Failed to execute 'setItem' on 'Storage': 2 arguments required, but only " + arguments.length + " present."); m.set(String(k), String(v)); }, removeItem: function (k) { m.delete(String(k)); }, clear: function () { m.clear(); }, key: function (i) { return i < m.size ? Array.from(m.keys())[i] : null; }, get length() { return m.size; } }));
    return new Proxy(o, {
      get: function (t, k) { return typeof k === "string" && !(k in t) ? m.has(k) ? m.get(k) : undefined : t[k]; },
      set: function (t, k, v) { m.set(String(k), String(v)); return true; },
      has: function (t, k) { return k in t || m.has(k); },
      deleteProperty: function (t, k) { m.delete(k); return true; },
      ownKeys: function (t) { return Reflect.ownKeys(t).concat(Array.from(m.keys()).filter(function (k) { return !(k in t); })); },
      getOwnPropertyDescriptor: function (t, k) { var d = Object.getOwnPropertyDescriptor(t, k); if (d) return Object.assign(d, { enumerable: false, configurable: true }); return m.has(k) ? { value: m.get(k), writable: true, enumerable: true, configurable: true } : undefined; }
    });
  }
  // Media queries (Media Queries Level 4), of a window of 1280 to 800 CSS pixels with a pointer.
  function matchesMedia(q) {
    return String(q).toLowerCase().split(",").some(function (one) {
      var not = /^\s*not\s/.test(one), all = one.replace(/^\s*(?:not|only)\s/, "").split(/\sand\s/).every(function (part) {
        part = part.trim().replace(/^\(\s*|\s*\)$/g, "");
        var m = /^(min-|max-)?(?:device-)?(width|height)\s*:\s*([\d.]+)(px|em|rem)?$/.exec(part), c;
        if (m) { var v = Number(m[3]) * (m[4] === "em" || m[4] === "rem" ? 16 : 1), is = m[2] === "width" ? 1280 : 800; return m[1] === "min-" ? is >= v : m[1] === "max-" ? is <= v : is === v; }
        if ((c = /^(width|height)\s*([<>]=?)\s*([\d.]+)(px|em|rem)?$/.exec(part))) { v = Number(c[3]) * (c[4] === "em" || c[4] === "rem" ? 16 : 1); is = c[1] === "width" ? 1280 : 800; return c[2] === ">=" ? is >= v : c[2] === "<=" ? is <= v : c[2] === ">" ? is > v : is < v; }
        return /^(?:|all|screen|orientation\s*:\s*landscape|(?:any-)?hover(?:\s*:\s*hover)?|(?:any-)?pointer(?:\s*:\s*fine)?|color|prefers-color-scheme\s*:\s*light|prefers-reduced-motion\s*:\s*no-preference|scripting(?:\s*:\s*enabled)?|min-resolution\s*:\s*1dppx)$/.test(part);
      });
      return all !== not;
    });
  }
  class MediaQueryList extends EventTarget {
    constructor(q) { super(); this.media = String(q).trim(); this.matches = matchesMedia(q); this.onchange = null; }
    addListener(f) { this.addEventListener("change", f); }
    removeListener(f) { this.removeEventListener("change", f); }
  }
  class History {
    constructor() { defineHidden(this, "list", [null]); defineHidden(this, "at", 0); this.scrollRestoration = "auto"; }
    get length() { return this.list.length; }
    get state() { return this.list[this.at]; }
    to(state, ref) {
      if (ref === undefined || ref === null) return;
      var to = new root.URL(String(ref), room.href);
      if (to.origin !== parts(room.href).origin) throw new DOMException("Failed to execute 'pushState' on 'History': A history state object with URL '" + to.href + "' cannot be created in a document with origin '" + location.origin + "' and URL '" + room.href + "'.", "SecurityError");
      room.href = to.href;
    }
    pushState(state, title, ref) { this.to(state, ref); this.list = this.list.slice(0, this.at + 1); this.list.push(root.structuredClone(state)); this.at++; }
    replaceState(state, title, ref) { this.to(state, ref); this.list[this.at] = root.structuredClone(state); }
    back() { this.go(-1); } forward() { this.go(1); }
    go(n) { var self = this; if (this.list[this.at + (n || 0)] === undefined || !n) return; later(function () { self.at += n; fire(root, new root.PopStateEvent("popstate", { state: self.state })); }, 1); }
  }
  // A script runs once; one that came in markup does not (HTML Standard, section 4.12.1.1).
  function inserted(e) { if (e.localName !== "script" || e.started) return; started(e); room.inserted(e); }
  function started(e) { if (!e.started) defineHidden(e, "started", true); }

  // What elements ask for when they come onto the page, or when their attribute is set there (HTML Standard, each element's section).
  function asks(e) {
    var ref = e.getAttribute(loads[e.localName]);
    if (!ref || e.localName === "link" && !/(?:^|\s)(?:stylesheet|preload|modulepreload|icon|manifest)(?:\s|$)/i.test(e.getAttribute("rel") || "")) return;
    host.asks(resolve(ref), e.localName === "link" ? (e.getAttribute("rel") || "").toLowerCase() : e.localName, e.getAttribute("nonce") || "");
    if (e.localName === "img" && /^data:image\//i.test(ref)) later(function () { if (e.getAttribute("src") === ref) fire(e, new Event("load")); }, 1);
  }
  // What a policy has a say on is noted where one is there: styles, and code in attributes (Content Security Policy Level 3, section 4.2).
  function makes(kind, e, s) { if (room.watching) host.makes(kind, s, e.getAttribute("nonce") || ""); }
  function handles(e, k) { return k.length > 4 && k.slice(0, 2) === "on" && k in e; }
  // What markup brings that scripts set: inert is what stands in templates and documents apart.
  function madeIn(parent, inert, ran) {
    walk(parent, function (e) {
      if (!isElement(e)) return;
      if (ran && e.localName === "script") started(e);
      if (!inert && /^(?:img|audio|video)$/.test(e.localName) && e.hasAttribute("src")) asks(e);
      if (room.watching) e.map.forEach(function (v, k) { if (k === "style") makes("style attribute", e, v); else if (handles(e, k)) makes("handler", e, v); });
      if (e.localName === "template" && e.content) madeIn(e.content, true, false);
    });
  }
  function shows(declared) { declared.replace(/url\(\s*["']?([^"')]+)/g, function (all, to) { if (to[0] !== "#") host.asks(resolve(to), "img", ""); }); }
  function attached(n) { while (n.parentNode || n.host) n = n.parentNode || n.host; return n === document; }
  function styled(n) {
    var one = function (e) { if (e.localName === "style") makes("style", e, e.textContent); if (e.inShadow) walk(e.inShadow, one); };
    one(n);
    walk(n, one);
  }
  function arrive(n) {
    if (room.watching) styled(n);
    walk(n, function (e) { if (isElement(e) && e.localName !== "img" && e.localName !== "audio" && e.localName !== "script" && loads[e.localName]) asks(e); });
    if (loads[n.localName] && n.localName !== "img" && n.localName !== "audio" && n.localName !== "script") asks(n);
  }

  // Numbers and dates as people write them: as in American English, and not sure of another.
  function grouped(n, o) {
    host.touch();
    o = o || {};
    if (typeof n === "bigint") return String(n).replace(/\B(?=(\d{3})+$)/g, ",");
    n = Number(n);
    if (!isFinite(n)) return String(n);
    if (o.style === "percent") n *= 100;
    var least = o.minimumFractionDigits !== undefined ? o.minimumFractionDigits : o.style === "currency" ? 2 : 0, most = o.maximumFractionDigits !== undefined ? o.maximumFractionDigits : Math.max(least, o.style === "currency" ? 2 : o.style === "percent" ? 0 : 3);
    var s = Math.abs(n).toFixed(Math.min(20, most)), at = s.indexOf(".");
    if (at >= 0) { while (s.length - at - 1 > least && s[s.length - 1] === "0") s = s.slice(0, -1); if (s[s.length - 1] === ".") s = s.slice(0, -1); }
    var whole = s.split(".")[0].replace(o.useGrouping === false ? /$^/ : /\B(?=(\d{3})+$)/g, ",");
    return (n < 0 ? "-" : "") + (o.style === "currency" ? ({ USD: "$", EUR: "\u20ac", GBP: "\u00a3" }[o.currency] || String(o.currency) + "\u00a0") : "") + whole + (s.indexOf(".") >= 0 ? s.slice(s.indexOf(".")) : "") + (o.style === "percent" ? "%" : "");
  }
  function dated(d, date, time) {
    host.touch();
    if (isNaN(d)) return "Invalid Date";
    var h = d.getHours(), two = function (n) { return n < 10 ? "0" + n : String(n); }, list = [];
    if (date) list.push(d.getMonth() + 1 + "/" + d.getDate() + "/" + d.getFullYear());
    if (time) list.push((h % 12 || 12) + ":" + two(d.getMinutes()) + ":" + two(d.getSeconds()) + (h < 12 ? " AM" : " PM"));
    return list.join(", ");
  }
  defineHidden(Number.prototype, "toLocaleString", function (l, o) { return grouped(this, o); });
  if (typeof BigInt === "function") defineHidden(BigInt.prototype, "toLocaleString", function (l, o) { return grouped(this, o); });
  [["toLocaleString", true, true], ["toLocaleDateString", true, false], ["toLocaleTimeString", false, true]].forEach(function (p) { defineHidden(Date.prototype, p[0], function () { return dated(this, p[1], p[2]); }); });
  function formatter(format) {
    var C = function (l, o) { if (!(this instanceof C)) return new C(l, o); defineHidden(this, "o", o || {}); this.format = this.format.bind(this); };
    C.prototype.format = function (v) { return format(v, this.o); };
    C.prototype.formatToParts = function (v) { return [{ type: "literal", value: this.format(v) }]; };
    C.prototype.formatRange = function (a, b) { return this.format(a) + " \u2013 " + this.format(b); };
    C.prototype.resolvedOptions = function () { host.touch(); return Object.assign({ locale: "en-US", timeZone: "UTC", numberingSystem: "latn", calendar: "gregory" }, this.o); };
    C.supportedLocalesOf = function (l) { return [].concat(l || []); };
    return C;
  }
  var Intl = {
    NumberFormat: formatter(grouped), DateTimeFormat: formatter(function (v, o) { var d = v === undefined ? new Date() : new Date(v); return dated(d, !o.timeStyle || o.dateStyle, !!(o.timeStyle || o.hour)); }),
    ListFormat: formatter(function (v) { host.touch(); return Array.from(v).join(", "); }), RelativeTimeFormat: formatter(function (v) { host.touch(); return String(v); }), DisplayNames: formatter(function (v) { host.touch(); return String(v); }),
    PluralRules: function PluralRules(l, o) { this.select = function (n) { return n === 1 ? "one" : "other"; }; this.resolvedOptions = function () { return { locale: "en-US" }; }; },
    Collator: function Collator() { this.compare = function (a, b) { host.touch(); a = String(a); b = String(b); return a < b ? -1 : a > b ? 1 : 0; }; this.resolvedOptions = function () { return { locale: "en-US" }; }; },
    getCanonicalLocales: function (l) { return [].concat(l || []); }, supportedValuesOf: function () { return []; }
  };
  Intl.DisplayNames.prototype.of = Intl.RelativeTimeFormat.prototype.format;
  Intl.Segmenter = function () { this.segment = function (s) { host.touch(); return Array.from(String(s)).map(function (c, i) { return { segment: c, index: i }; }); }; };
  Intl.Locale = function (l) { this.baseName = String(l); this.language = String(l).split("-")[0]; this.toString = function () { return this.baseName; }; };

  var room = {
    window: root, document: document, href: "https://site.invalid/", quirks: false, build: build, madeIn: madeIn, Event: Event, fire: fire,
    write: noop, inserted: noop,
    // step runs the next timer that is due before a time, and tells whether there was one.
    step: function (until) {
      timers.sort(function (a, b) { return a.at - b.at || a.id - b.id; });
      var t = timers[0];
      if (!t || t.at > until) return false;
      clock = t.at;
      if (t.every) t.at = clock + t.every; else timers.shift();
      if (typeof t.f === "function") host.run(function () { t.f.apply(root, t.args || []); });
      else host.run(function () { (0, root.eval)(String(t.f)); }, t.by); // HTML Standard, section 8.7: a text is run as a script
      return true;
    },
    anything: anything,
    // standIn is what stands in for an interface of the platform: what makes objects that have its members, each of which
    // takes anything. What no browser has, these have not either.
    standIn: function (name, isInterface) {
      if (dom.late[name]) return dom.late[name]();
      if (!isInterface) return anything();
      var C = function () { if (new.target === undefined) { host.touch(); return anything(); } return Object.create(new.target.prototype); };
      Object.setPrototypeOf(C.prototype, restOf(name));
      return new Proxy(C, { get: function (t, k, self) {
        if (typeof k !== "string" || k in t) return Reflect.get(t, k, self);
        if (!host.member(name, "." + k)) return undefined;
        host.touch();
        return anything();
      } });
    },
    // waiting lists the elements that somebody would click and that something comes of: those with a listener or a handler,
    // and those whose attributes tell a library what they do.
    waiting: function () {
      return found(document, function (e) {
        if (!(listening.indexOf(e) >= 0 || e.onclick || e.getAttributeNames().some(function (k) { return /^data-(?:[a-z]+-)?(?:toggle|target|dismiss|slide|slide-to|action|trigger|open|close)$/.test(k); }))) return false;
        for (var n = e; n && n.nodeType === 1; n = n.parentNode) if (n.hidden || n.inert || dom.isDisabled(n) || /display:\s*none|visibility:\s*hidden/.test(n.getAttribute("style") || "") || n.localName === "dialog" && !n.open || n.localName === "details" && !n.open && n !== e.parentNode) return false;
        return true;
      });
    },
    // click clicks an element if it is still there.
    click: function (e) { if (e.isConnected && e.localName !== "body" && e.localName !== "html") host.run(function () { dom.click(e); }); },
    tagOf: function (e) { var s = e.cloneNode(false).outerHTML; return s.slice(0, s.indexOf(">") + 1 || undefined); },
    handlerOf: function (e) { return e.getAttribute("onclick") || ""; }
  };

  var given = {
    EventTarget: EventTarget, Event: Event, CustomEvent: CustomEvent, Node: Node, Element: Element, HTMLElement: HTMLElement, Text: Text, Comment: Comment, CharacterData: CharacterData, Document: Document, HTMLDocument: Document,
    DocumentFragment: DocumentFragment, DOMTokenList: DOMTokenList, NodeList: NodeList, HTMLCollection: HTMLCollection, NamedNodeMap: NamedNodeMap, DOMException: DOMException, Window: function Window() {},
    document: document, location: Object.defineProperties({}, {}), History: History, history: new History(), Storage: Storage, ShadowRoot: ShadowRoot, Range: Range, StaticRange: Range, AbstractRange: Range, Selection: Selection, TreeWalker: TreeWalker, NodeIterator: NodeIterator, MediaQueryList: MediaQueryList,
    navigator: { userAgent: "Mozilla/5.0 (X11; Linux x86_64) AppleWebKit/537.36 (KHTML, like Gecko) Chrome/140.0.0.0 Safari/537.36", platform: "Linux x86_64", language: "en", languages: ["en"], vendor: "Google Inc.", appName: "Netscape", appVersion: "5.0", product: "Gecko", onLine: true, cookieEnabled: true, maxTouchPoints: 0, hardwareConcurrency: 2, plugins: [], mimeTypes: [], webdriver: false, doNotTrack: null, sendBeacon: function (to) { host.asks(resolve(to), "send", ""); return true; }, javaEnabled: function () { return false; }, vibrate: noop },
    screen: { width: 1280, height: 800, availWidth: 1280, availHeight: 800, colorDepth: 24, pixelDepth: 24, orientation: { type: "landscape-primary", angle: 0 } },
    innerWidth: 1280, innerHeight: 800, outerWidth: 1280, outerHeight: 800, pageXOffset: 0, pageYOffset: 0, scrollX: 0, scrollY: 0, screenX: 0, screenY: 0, screenLeft: 0, screenTop: 0, devicePixelRatio: 1, name: "", status: "", closed: false, length: 0, origin: "https://site.invalid", opener: null, frameElement: null, isSecureContext: true, crossOriginIsolated: false, external: {}, chrome: {},
    setTimeout: function (f, ms) { return later(f, ms, false, [].slice.call(arguments, 2)); }, setInterval: function (f, ms) { return later(f, ms, true, [].slice.call(arguments, 2)); },
    clearTimeout: cancel, clearInterval: cancel, requestAnimationFrame: function (f) { return later(function () { f(clock); }, 16); }, cancelAnimationFrame: cancel,
    requestIdleCallback: function (f) { return later(function () { f({ didTimeout: false, timeRemaining: function () { return 10; } }); }, 20); }, cancelIdleCallback: cancel,
    queueMicrotask: function (f) { Promise.resolve().then(function () { host.run(f); }); },
    getComputedStyle: function (e) { return e && e.style ? e.style : styleOf(); }, matchMedia: function (q) { return new MediaQueryList(q); },
    getSelection: function () { return selection; }, alert: noop, confirm: function () { return false; }, prompt: function () { return null; }, print: noop, focus: noop, blur: noop, close: noop, stop: noop, open: function () { return null; }, postMessage: noop,
    scroll: noop, scrollTo: noop, scrollBy: noop, moveTo: noop, moveBy: noop, resizeTo: noop, resizeBy: noop, find: function () { return false; }, reportError: function (e) { host.report("exception", e); },
    addEventListener: function (t, f, o) { EventTarget.prototype.addEventListener.call(root, t, f, o); }, removeEventListener: function (t, f) { EventTarget.prototype.removeEventListener.call(root, t, f); },
    dispatchEvent: function (e) { fire(root, e); return !e.defaultPrevented; },
    localStorage: storage(), sessionStorage: storage(), performance: { now: function () { return clock; }, mark: noop, measure: noop, getEntriesByType: function () { return []; }, getEntriesByName: function () { return []; }, timing: { navigationStart: 0 }, timeOrigin: 0, clearMarks: noop, clearMeasures: noop, navigation: { type: 0 } },
    MutationObserver: MutationObserver, WebKitMutationObserver: MutationObserver, PerformanceObserver: observer(), ReportingObserver: observer(),
    IntersectionObserver: viewObserver(function (e) { var r = e.getBoundingClientRect(); return { target: e, isIntersecting: true, intersectionRatio: 1, boundingClientRect: r, intersectionRect: r, rootBounds: r, time: clock, isVisible: false }; }),
    ResizeObserver: viewObserver(function (e) { var box = [{ inlineSize: 0, blockSize: 0 }]; return { target: e, contentRect: e.getBoundingClientRect(), borderBoxSize: box, contentBoxSize: box, devicePixelContentBoxSize: box }; }),
    fetch: function (to, how) { host.asks(resolve(to && to.url || to), !how || !how.method || /^get$/i.test(how.method) ? "fetch" : "send"); return new Promise(noop); }, structuredClone: function (v) { return copyOf(v, new Map()); },
    atob: function (s) { s = String(s).replace(/[\t\n\f\r ]/g, ""); if (!/^[A-Za-z0-9+\/]*={0,2}$/.test(s) || s.replace(/=/g, "").length % 4 === 1) throw new DOMException("Failed to execute 'atob' on 'Window': The string to be decoded is not correctly encoded.", "InvalidCharacterError"); return bytesOf(s.replace(/=/g, "")); },
    btoa: function (s) { s = String(s); if (/[^\0-\xff]/.test(s)) throw new DOMException("Failed to execute 'btoa' on 'Window': The string to be encoded contains characters outside of the Latin1 range.", "InvalidCharacterError"); return base64Of(s); },
    Image: function (w, h) { var i = create("img"); if (w !== undefined) i.width = w; if (h !== undefined) i.height = h; return i; }, Audio: function (src) { var a = create("audio"); if (src !== undefined) a.src = src; return a; }, Option: function (t, v, byDefault, selected) { var o = create("option"); if (t !== undefined) o.textContent = t; if (v !== undefined) o.setAttribute("value", v); if (byDefault) o.defaultSelected = true; if (selected) o.selected = true; return o; },
    EventSource: class EventSource extends EventTarget { constructor(to, o) { super(); this.url = resolve(to); this.readyState = 0; this.withCredentials = !!(o && o.withCredentials); this.onopen = this.onmessage = this.onerror = null; host.asks(this.url, "send", ""); } close() { this.readyState = 2; } },
    WebSocket: class WebSocket extends EventTarget { constructor(to) { super(); this.url = resolve(to).replace(/^http/, "ws"); this.readyState = 0; this.bufferedAmount = 0; this.extensions = this.protocol = ""; this.binaryType = "blob"; this.onopen = this.onmessage = this.onerror = this.onclose = null; host.asks(this.url, "send", ""); } send() { if (this.readyState === 0) throw new DOMException("Failed to execute 'send' on 'WebSocket': Still in CONNECTING state.", "InvalidStateError"); } close() { this.readyState = 3; } },
    Worker: class extends EventTarget { constructor(to) { super(); host.asks(resolve(to), "worker"); } postMessage() {} terminate() {} },
    CSS: { supports: function () { return true; }, escape: function (s) { return String(s).replace(/^(-?)(\d)/, function (all, dash, d) { return dash + "\\3" + d + " "; }).replace(/[^\w\u0080-\uffff\\ -]/g, "\\$&").replace(/ (?=.)/g, function (c, at, all) { return /\\3\d$/.test(all.slice(0, at)) ? c : "\\ "; }); } },
    XMLHttpRequest: class extends EventTarget { constructor() { super(); this.readyState = 0; this.status = 0; this.responseText = ""; this.withCredentials = false; } open(how, to) { this.readyState = 1; this.to = resolve(to); this.how = /^get$/i.test(how) ? "fetch" : "send"; } send() { if (this.to) host.asks(this.to, this.how); } abort() {} setRequestHeader() {} getResponseHeader() { return null; } getAllResponseHeaders() { return ""; } overrideMimeType() {} },
    AbortSignal: AbortSignal, AbortController: class AbortController { constructor() { this.signal = Object.create(AbortSignal.prototype); this.signal.aborted = false; this.signal.onabort = null; } abort(why) { abort(this.signal, why); } },
    DOMParser: class DOMParser { parseFromString(s, type) {
      if (!/^(?:text\/html|text\/xml|application\/xml|application\/xhtml\+xml|image\/svg\+xml)$/.test(type)) throw new TypeError("Failed to execute 'parseFromString' on 'DOMParser': The provided value '" + type + "' is not a valid enum value of type SupportedType.");
      var d = new Document();
      defineHidden(d, "apart", true);
      if (type !== "text/html") host.touch();
      build(d, type === "text/html" ? host.whole(String(s)) : host.parse(String(s), "body").filter(function (n) { return Array.isArray(n) && n[0] !== "!"; }).slice(0, 1), null);
      madeIn(d, true, true);
      return d;
    } },
    XMLSerializer: class { serializeToString(n) { return n.nodeType === 9 ? text(n.documentElement) : text(n); } },
    NodeFilter: { SHOW_ALL: 4294967295, SHOW_ELEMENT: 1, SHOW_TEXT: 4, SHOW_COMMENT: 128, FILTER_ACCEPT: 1, FILTER_REJECT: 2, FILTER_SKIP: 3 },
    console: {}, Intl: Intl, Element: Element
  };
  Object.keys(given).forEach(function (k) { defineHidden(root, k, given[k]); });
  ["CONNECTING", "OPEN", "CLOSING", "CLOSED"].forEach(function (k, i) { root.WebSocket[k] = root.WebSocket.prototype[k] = i; });
  ["CONNECTING", "OPEN", "CLOSED"].forEach(function (k, i) { root.EventSource[k] = root.EventSource.prototype[k] = i; });
  ["UIEvent", "CompositionEvent", "CustomEventBase", "FormDataEvent", "BeforeUnloadEvent", "CloseEvent", "PromiseRejectionEvent", "MediaQueryListEvent", "SecurityPolicyViolationEvent", "MouseEvent", "WheelEvent", "KeyboardEvent", "InputEvent", "FocusEvent", "TouchEvent", "PointerEvent", "DragEvent", "ClipboardEvent", "TransitionEvent", "AnimationEvent", "ProgressEvent", "ErrorEvent", "MessageEvent", "PopStateEvent", "HashChangeEvent", "PageTransitionEvent", "StorageEvent", "SubmitEvent", "ToggleEvent"].forEach(function (k) {
    var of = /^(?:Mouse|Keyboard|Input|Focus|Touch|Composition)Event$/.test(k) ? root.UIEvent : /^(?:Wheel|Pointer|Drag)Event$/.test(k) ? root.MouseEvent : Event;
    defineHidden(root, k, named(class extends of {}, k));
  });
  root.MouseEvent.prototype.initMouseEvent = root.UIEvent.prototype.initUIEvent = root.KeyboardEvent.prototype.initKeyboardEvent = function (type, bubbles, cancelable, view, detail) { this.initEvent(type, bubbles, cancelable); defineHidden(this, "detail", detail); };
  [["UIEvent", { view: null, detail: 0, which: 0 }], ["MouseEvent", { clientX: 0, clientY: 0, pageX: 0, pageY: 0, screenX: 0, screenY: 0, offsetX: 0, offsetY: 0, x: 0, y: 0, movementX: 0, movementY: 0, button: 0, buttons: 0, altKey: false, ctrlKey: false, shiftKey: false, metaKey: false, relatedTarget: null }], ["PointerEvent", { pointerId: 0, pointerType: "", isPrimary: false, width: 1, height: 1, pressure: 0 }], ["WheelEvent", { deltaX: 0, deltaY: 0, deltaZ: 0, deltaMode: 0 }], ["KeyboardEvent", { key: "", code: "", keyCode: 0, charCode: 0, location: 0, repeat: false, isComposing: false, altKey: false, ctrlKey: false, shiftKey: false, metaKey: false }], ["InputEvent", { data: null, inputType: "", isComposing: false }], ["FocusEvent", { relatedTarget: null }], ["MessageEvent", { data: null, origin: "", source: null, ports: [] }], ["PopStateEvent", { state: null }], ["HashChangeEvent", { oldURL: "", newURL: "" }], ["StorageEvent", { key: null, oldValue: null, newValue: null, url: "" }], ["ProgressEvent", { loaded: 0, total: 0, lengthComputable: false }], ["ErrorEvent", { message: "", filename: "", lineno: 0, colno: 0, error: undefined }], ["SubmitEvent", { submitter: null }], ["ToggleEvent", { oldState: "", newState: "" }], ["TransitionEvent", { propertyName: "", elapsedTime: 0 }], ["AnimationEvent", { animationName: "", elapsedTime: 0 }], ["TouchEvent", { touches: [], changedTouches: [], targetTouches: [] }]].forEach(function (p) {
    Object.keys(p[1]).forEach(function (k) { var usual = p[1][k]; Object.defineProperty(root[p[0]].prototype, k, { get: function () { return usual; }, enumerable: true, configurable: true }); });
  });
  root.MouseEvent.prototype.getModifierState = root.KeyboardEvent.prototype.getModifierState = function () { return false; };
  ["log", "info", "debug", "warn", "error", "trace", "dir", "table", "group", "groupCollapsed", "groupEnd", "time", "timeEnd", "timeLog", "count", "assert", "clear"].forEach(function (k) {
    console[k] = k === "error" || k === "warn" ? function () { host.report(k, [].map.call(arguments, function (a) { try { return String(a); } catch (e) { return "?"; } }).join(" ")); } : noop;
  });
  ["href", "protocol", "host", "hostname", "port", "pathname", "search", "hash", "origin"].forEach(function (k) {
    Object.defineProperty(location, k, { get: function () { return k === "href" ? room.href : parts(room.href)[k]; }, set: noop, enumerable: true });
  });
  location.toString = function () { return room.href; };
  location.assign = location.replace = location.reload = noop;
  ["window", "self", "frames", "parent", "top"].forEach(function (k) { defineHidden(root, k, root); });
  // Addresses (URL Standard, section 6).
  class URL {
    get [Symbol.toStringTag]() { return "URL"; }
    constructor(ref, base) {
      var parts = host.address(String(ref), base === undefined ? "" : String(base));
      if (!parts) throw new TypeError("Failed to construct 'URL': Invalid URL");
      var self = this;
      defineHidden(this, "parts", parts);
      defineHidden(this, "params", new URLSearchParams(parts.search));
      this.params.changed = function () { var s = self.params.toString(); self.parts.search = s ? "?" + s : ""; };
    }
    get searchParams() { return this.params; }
    get href() { var p = this.parts; return p.protocol + (p.host || p.protocol === "file:" ? "//" + (p.username ? p.username + (p.password ? ":" + p.password : "") + "@" : "") + p.host : "") + p.pathname + p.search + p.hash; }
    set href(v) { var parts = host.address(String(v), ""); if (!parts) throw new TypeError("Failed to set the 'href' property on 'URL': Invalid URL"); this.parts = parts; this.params.list = new URLSearchParams(parts.search).list; }
    get origin() { return this.parts.origin; }
    get search() { return this.parts.search; }
    set search(v) { v = String(v); this.parts.search = v === "" || v === "?" ? "" : v[0] === "?" ? v : "?" + v; this.params.list = new URLSearchParams(this.parts.search).list; }
    get hash() { return this.parts.hash; }
    set hash(v) { v = String(v); this.parts.hash = v === "" || v === "#" ? "" : v[0] === "#" ? v : "#" + v; }
    get pathname() { return this.parts.pathname; }
    set pathname(v) { v = String(v).replace(/[?#\s]/g, encodeURIComponent); this.parts.pathname = v[0] === "/" ? v : "/" + v; }
    get host() { return this.parts.host; }
    set host(v) { this.again(this.parts.protocol + "//" + v + this.parts.pathname); }
    get hostname() { return this.parts.hostname; }
    set hostname(v) { this.again(this.parts.protocol + "//" + v + (this.parts.port ? ":" + this.parts.port : "") + this.parts.pathname); }
    get port() { return this.parts.port; }
    set port(v) { this.again(this.parts.protocol + "//" + this.parts.hostname + (v === "" ? "" : ":" + v) + this.parts.pathname); }
    get protocol() { return this.parts.protocol; }
    set protocol(v) { this.again(String(v).replace(/:?$/, ":") + "//" + this.parts.host + this.parts.pathname); }
    get username() { return this.parts.username || ""; }
    set username(v) { this.parts.username = String(v); }
    get password() { return this.parts.password || ""; }
    set password(v) { this.parts.password = String(v); }
    again(ref) { var p = host.address(ref, ""); if (p) this.parts = Object.assign(p, { search: this.parts.search, hash: this.parts.hash }); }
    toString() { return this.href; }
    toJSON() { return this.href; }
    static canParse(ref, base) { return !!host.address(String(ref), base === undefined ? "" : String(base)); }
    static createObjectURL() { host.touch(); return "blob:" + location.origin + "/it"; }
    static revokeObjectURL() {}
  }
  function formed(s) { return encodeURIComponent(s).replace(/%20/g, "+").replace(/[!'()~]/g, function (c) { return "%" + c.charCodeAt(0).toString(16).toUpperCase(); }); }
  class URLSearchParams {
    get [Symbol.toStringTag]() { return "URLSearchParams"; }
    constructor(text) {
      defineHidden(this, "list", []);
      defineHidden(this, "changed", noop);
      var add = this.append.bind(this);
      if (text && typeof text === "object") {
        if (text[Symbol.iterator]) for (var pair of text) add(pair[0], pair[1]);
        else for (var k in text) add(k, text[k]);
        return;
      }
      var plain = function (s) { try { return decodeURIComponent(s.replace(/\+/g, " ")); } catch (e) { return s; } };
      String(text === undefined ? "" : text).replace(/^\?/, "").split("&").forEach(function (part) {
        if (part) add(plain(part.split("=")[0]), plain(part.split("=").slice(1).join("=")));
      });
    }
    append(k, v) { this.list.push([String(k), String(v)]); this.changed(); }
    delete(k, v) { this.list = this.list.filter(function (pair) { return pair[0] !== k || v !== undefined && pair[1] !== String(v); }); this.changed(); }
    set(k, v) {
      var at = this.list.findIndex(function (pair) { return pair[0] === k; });
      if (at < 0) { this.append(k, v); return; }
      this.list[at][1] = String(v);
      this.list = this.list.filter(function (pair, i) { return i <= at || pair[0] !== k; });
      this.changed();
    }
    get size() { return this.list.length; }
    get(k) { var pair = this.list.find(function (pair) { return pair[0] === k; }); return pair ? pair[1] : null; }
    getAll(k) { return this.list.filter(function (pair) { return pair[0] === k; }).map(function (pair) { return pair[1]; }); }
    has(k) { return this.get(k) !== null; }
    sort() { this.list.sort(function (a, b) { return a[0] < b[0] ? -1 : a[0] > b[0] ? 1 : 0; }); this.changed(); }
    forEach(f, self) { this.list.slice().forEach(function (pair) { f.call(self, pair[1], pair[0]); }); }
    entries() { return this.list[Symbol.iterator](); }
    keys() { return this.list.map(function (pair) { return pair[0]; })[Symbol.iterator](); }
    values() { return this.list.map(function (pair) { return pair[1]; })[Symbol.iterator](); }
    [Symbol.iterator]() { return this.entries(); }
    toString() { return this.list.map(function (pair) { return formed(pair[0]) + "=" + formed(pair[1]); }).join("&"); }
  }
  defineHidden(root, "URL", URL);
  defineHidden(root, "URLSearchParams", URLSearchParams);
  asInterface(root.navigator, "Navigator"); asInterface(root.screen, "Screen"); asInterface(root.performance, "Performance");
  Object.setPrototypeOf(History.prototype, restOf("History"));
  Object.assign(dom, { root: root, classes: classes, HTMLElement: HTMLElement, Node: Node, NodeList: NodeList, Event: Event, DOMTokenList: DOMTokenList, DOMException: DOMException, DocumentFragment: DocumentFragment, document: document, defined: defined,
    defineHidden: defineHidden, create: create, resolve: resolve, found: found, listOf: listOf, listAs: listAs, collection: collection, HTMLCollection: HTMLCollection, elementsIn: elementsIn, walk: walk, later: later, anything: anything, behind: behind, tag: tag });
  host.elements(dom, host);
  Object.keys(given).forEach(function (k) { var C = given[k]; if (/^[A-Z]/.test(k) && typeof C === "function" && C.prototype && !/^(?:Image|Audio|Option|Element|DOMException|Static|Abstract|WebKit)/.test(k)) tag(C.prototype, k); });
  tag(Element.prototype, "Element"); tag(DOMException.prototype, "DOMException"); tag(Document.prototype, "HTMLDocument"); tag(root, "Window");
  tag(root.navigator, "Navigator"); tag(location, "Location"); tag(root.screen, "Screen"); tag(root.performance, "Performance");
  ["onclick", "onsubmit", "onchange", "oninput", "onfocus", "onblur", "onkeydown", "onkeyup", "onkeypress", "onmousedown", "onmouseup", "onmouseover", "onmouseout", "onmousemove", "onmouseenter", "onmouseleave", "onwheel", "onselect", "oncontextmenu", "ondblclick", "ondragstart", "ondrop", "onpointerdown", "onpointerup", "onpointermove", "onanimationstart", "onanimationend", "ontransitionend", "onstorage", "onoffline", "ononline", "onpagehide", "onpageshow", "onrejectionhandled", "onunhandledrejection",
   "onload", "onerror", "onresize", "onscroll", "onhashchange", "onpopstate", "onbeforeunload", "onunload", "onmessage", "ontouchstart"].forEach(function (k) { if (k !== "ontouchstart") defineHidden(root, k, null); });
  var handlers = new WeakMap();
  ["onabort", "onanimationend", "onanimationiteration", "onanimationstart", "onauxclick", "onbeforeinput", "onblur", "oncancel", "oncanplay", "onchange", "onclick", "onclose", "oncontextmenu", "oncopy", "oncut", "ondblclick", "ondrag", "ondragend", "ondragenter", "ondragleave", "ondragover", "ondragstart", "ondrop", "onended", "onerror", "onfocus", "onformdata", "oninput", "oninvalid", "onkeydown", "onkeypress", "onkeyup", "onload", "onloadeddata", "onloadedmetadata", "onmousedown", "onmouseenter", "onmouseleave", "onmousemove", "onmouseout", "onmouseover", "onmouseup", "onpaste", "onpause", "onplay", "onplaying", "onpointercancel", "onpointerdown", "onpointerenter", "onpointerleave", "onpointermove", "onpointerout", "onpointerover", "onpointerup", "onprogress", "onreset", "onresize", "onscroll", "onselect", "onsubmit", "ontimeupdate", "ontoggle", "ontransitionend", "onvolumechange", "onwheel"].forEach(function (k) {
    var d = {
      get: function () { var own = handlers.get(this); return own && own[k] !== undefined ? own[k] : this.nodeType === 1 && this.map.has(k) ? attributeHandler(this, k.slice(2)) : null; },
      set: function (v) { var own = handlers.get(this) || {}; handlers.set(this, own); own[k] = typeof v === "function" || v && typeof v === "object" ? v : null; },
      enumerable: true, configurable: true
    };
    Object.defineProperty(Element.prototype, k, d);
    Object.defineProperty(Document.prototype, k, d);
  });
  Object.defineProperty(Document.prototype, "onreadystatechange", { value: null, writable: true, configurable: true });
  return room;
})
