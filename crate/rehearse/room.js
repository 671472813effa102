// The room that a page's scripts are rehearsed in: a document and a window as far as scripts look at them
// while a page loads. What a browser has and this room has not is answered by something that takes anything;
// a rehearsal that touches that is no longer sure of what follows, and says so.
//
// It is called with host: read(name), parse(html), touch(), report(kind, message), now(), run(src).
(function (host) {
  "use strict";
  var root = globalThis;
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

  // Events (DOM Standard, section 2).
  class Event {
    constructor(type, init) {
      this.type = String(type);
      this.bubbles = !!(init && init.bubbles);
      this.cancelable = !!(init && init.cancelable);
      this.defaultPrevented = false;
      this.target = this.currentTarget = this.srcElement = null;
      this.timeStamp = host.now();
      this.eventPhase = 0;
      for (var k in init || {}) if (!(k in this)) this[k] = init[k];
    }
    preventDefault() { this.defaultPrevented = this.cancelable; }
    stopPropagation() { this.stopped = true; }
    stopImmediatePropagation() { this.stopped = this.ended = true; }
    initEvent(type, bubbles, cancelable) { this.type = type; this.bubbles = !!bubbles; this.cancelable = !!cancelable; }
    initCustomEvent(type, bubbles, cancelable, detail) { this.initEvent(type, bubbles, cancelable); this.detail = detail; }
    composedPath() { return []; }
  }
  class CustomEvent extends Event {
    constructor(type, init) { super(type, init); this.detail = init && init.detail !== undefined ? init.detail : null; }
  }
  var listeners = new WeakMap();
  function listenersOf(target, type, make) {
    var all = listeners.get(target);
    if (!all) { if (!make) return []; listeners.set(target, all = Object.create(null)); }
    return all[type] || (make ? all[type] = [] : []);
  }
  class EventTarget {
    addEventListener(type, f, options) {
      if (!f) return;
      var list = listenersOf(this, type, true);
      if (!list.some(function (l) { return l.f === f; })) list.push({ f: f, once: !!(options && options.once) });
    }
    removeEventListener(type, f) {
      var list = listenersOf(this, type, false);
      for (var i = 0; i < list.length; i++) if (list[i].f === f) { list.splice(i, 1); return; }
    }
    dispatchEvent(event) { fire(this, event); return !event.defaultPrevented; }
  }
  function fire(target, event) {
    event.target = event.srcElement = target;
    var path = [target];
    if (event.bubbles) {
      for (var n = target.parentNode; n; n = n.parentNode) path.push(n);
      if (target !== root && target !== room.window) path.push(room.window);
    }
    for (var i = 0; i < path.length && !event.stopped; i++) call(path[i], event);
  }
  function call(target, event) {
    event.currentTarget = target;
    var list = listenersOf(target, event.type, false).slice();
    var own = target["on" + event.type];
    if (typeof own === "function") list.push({ f: own });
    for (var i = 0; i < list.length && !event.ended; i++) {
      if (list[i].once) target.removeEventListener(event.type, list[i].f);
      (function (l) {
        host.run(function () {
          if (typeof l.f === "function") l.f.call(target, event);
          else if (l.f && typeof l.f.handleEvent === "function") l.f.handleEvent(event);
        });
      })(list[i]);
    }
  }

  // Nodes (DOM Standard, section 4).
  class NodeList extends Array {
    item(i) { return this[i] || null; }
    namedItem(name) { return this.filter(function (e) { return e.id === name || e.getAttribute("name") === name; })[0] || null; }
    static get [Symbol.species]() { return Array; }
  }
  function listOf(nodes) { var l = new NodeList(); for (var i = 0; i < nodes.length; i++) l.push(nodes[i]); return l; }

  class Node extends EventTarget {
    constructor(type, name) {
      super();
      defineHidden(this, "nodeType", type);
      defineHidden(this, "nodeName", name);
      defineHidden(this, "childNodes", new NodeList());
      defineHidden(this, "parentNode", null);
    }
    get ownerDocument() { return this === document ? null : document; }
    get parentElement() { return this.parentNode && this.parentNode.nodeType === 1 ? this.parentNode : null; }
    get firstChild() { return this.childNodes[0] || null; }
    get lastChild() { return this.childNodes[this.childNodes.length - 1] || null; }
    get nextSibling() { return sibling(this, 1, false); }
    get previousSibling() { return sibling(this, -1, false); }
    get nextElementSibling() { return sibling(this, 1, true); }
    get previousElementSibling() { return sibling(this, -1, true); }
    get isConnected() { return document.contains(this); }
    get baseURI() { return location.href; }
    hasChildNodes() { return this.childNodes.length > 0; }
    contains(other) { for (var n = other; n; n = n.parentNode) if (n === this) return true; return false; }
    compareDocumentPosition(other) {
      if (this === other) return 0;
      if (this.contains(other)) return 20;
      if (other.contains && other.contains(this)) return 10;
      var all = [];
      walk(document, function (n) { all.push(n); });
      return all.indexOf(this) < all.indexOf(other) ? 4 : 2;
    }
    appendChild(n) { return this.insertBefore(n, null); }
    insertBefore(n, before) {
      if (!(n instanceof Node)) throw new TypeError("Failed to execute 'insertBefore' on 'Node': parameter 1 is not of type 'Node'.");
      if (n.nodeType === 11) { n.childNodes.slice().forEach(function (c) { this.insertBefore(c, before); }, this); return n; }
      if (n.contains(this)) throw new DOMException("The new child element contains the parent.", "HierarchyRequestError");
      if (n.parentNode) n.parentNode.removeChild(n);
      var at = before ? this.childNodes.indexOf(before) : this.childNodes.length;
      if (at < 0) throw new DOMException("The node before which the new node is to be inserted is not a child of this node.", "NotFoundError");
      this.childNodes.splice(at, 0, n);
      n.parentNode = this;
      if (n.nodeType === 1 && n.isConnected) arrive(n);
      if (n.nodeType === 1 && n.localName === "script" && n.isConnected) inserted(n);
      return n;
    }
    removeChild(n) {
      var at = this.childNodes.indexOf(n);
      if (at < 0) throw new DOMException("The node to be removed is not a child of this node.", "NotFoundError");
      this.childNodes.splice(at, 1);
      n.parentNode = null;
      return n;
    }
    replaceChild(n, old) { this.insertBefore(n, old); this.removeChild(old); return old; }
    append() { for (var i = 0; i < arguments.length; i++) this.appendChild(toNode(arguments[i])); }
    prepend() { var first = this.firstChild; for (var i = 0; i < arguments.length; i++) this.insertBefore(toNode(arguments[i]), first); }
    before() { for (var i = 0; i < arguments.length; i++) this.parentNode.insertBefore(toNode(arguments[i]), this); }
    after() { var next = this.nextSibling; for (var i = 0; i < arguments.length; i++) this.parentNode.insertBefore(toNode(arguments[i]), next); }
    replaceWith() { this.before.apply(this, arguments); this.remove(); }
    replaceChildren() { while (this.firstChild) this.removeChild(this.firstChild); this.append.apply(this, arguments); }
    remove() { if (this.parentNode) this.parentNode.removeChild(this); }
    cloneNode(deep) {
      var c = copy(this);
      if (deep) this.childNodes.forEach(function (n) { c.appendChild(n.cloneNode(true)); });
      return c;
    }
    normalize() {}
    isEqualNode(o) { return this === o; }
    isSameNode(o) { return this === o; }
    getRootNode() { var n = this; while (n.parentNode) n = n.parentNode; return n; }
    get textContent() { var s = ""; walk(this, function (n) { if (n.nodeType === 3) s += n.data; }); return s; }
    set textContent(s) { while (this.firstChild) this.removeChild(this.firstChild); if (s !== "" && s != null) this.appendChild(new Text(s)); }
    get nodeValue() { return null; }
    set nodeValue(v) {}
    // Of documents, fragments and elements alike.
    get children() { return listOf((this.childNodes || []).filter(isElement)); }
    get firstElementChild() { return (this.childNodes || []).filter(isElement)[0] || null; }
    get lastElementChild() { return (this.childNodes || []).filter(isElement).pop() || null; }
    get childElementCount() { return (this.childNodes || []).filter(isElement).length; }
    querySelector(s) { return select(this, s, true)[0] || null; }
    querySelectorAll(s) { return listOf(select(this, s, false)); }
    getElementsByTagName(name) {
      name = String(name).toLowerCase();
      return found(this, function (e) { return name === "*" || e.localName === name; });
    }
    getElementsByTagNameNS(ns, name) { return this.getElementsByTagName(name); }
    getElementsByClassName(names) {
      var want = String(names).split(/\s+/).filter(Boolean);
      return found(this, function (e) { return want.every(function (c) { return e.classList.contains(c); }); });
    }
  }
  ["ELEMENT_NODE", "ATTRIBUTE_NODE", "TEXT_NODE", "CDATA_SECTION_NODE", "", "", "PROCESSING_INSTRUCTION_NODE", "COMMENT_NODE", "DOCUMENT_NODE", "DOCUMENT_TYPE_NODE", "DOCUMENT_FRAGMENT_NODE"].forEach(function (k, i) {
    if (k) Node[k] = Node.prototype[k] = i + 1;
  });
  function isElement(n) { return n.nodeType === 1; }
  function toNode(v) { return v instanceof Node ? v : new Text(v); }
  function sibling(n, step, elements) {
    if (!n.parentNode) return null;
    var list = n.parentNode.childNodes;
    for (var i = list.indexOf(n) + step; i >= 0 && i < list.length; i += step) if (!elements || isElement(list[i])) return list[i];
    return null;
  }
  var everIDs = new Set(); // every id that an element ever had: what is not among them need not be looked for in the tree
  function walk(n, visit) { for (var i = 0; i < n.childNodes.length; i++) { visit(n.childNodes[i]); walk(n.childNodes[i], visit); } }
  function found(from, test) { var l = new NodeList(); walk(from, function (n) { if (isElement(n) && test(n)) l.push(n); }); return l; }
  function copy(n) {
    if (n.nodeType === 3) return new Text(n.data);
    if (n.nodeType === 8) return new Comment(n.data);
    if (n.nodeType === 11) return new DocumentFragment();
    var c = create(n.localName, n.namespaceURI);
    n.attributes.forEach(function (a) { c.setAttribute(a.name, a.value); });
    return c;
  }
  class CharacterData extends Node {
    constructor(type, name, data) { super(type, name); this.data = data === undefined ? "" : String(data); }
    get nodeValue() { return this.data; }
    set nodeValue(v) { this.data = String(v); }
    get textContent() { return this.data; }
    set textContent(v) { this.data = String(v); }
    get length() { return this.data.length; }
    splitText(at) { var t = new Text(this.data.slice(at)); this.data = this.data.slice(0, at); if (this.parentNode) this.parentNode.insertBefore(t, this.nextSibling); return t; }
  }
  class Text extends CharacterData { constructor(s) { super(3, "#text", s); } get wholeText() { return this.data; } }
  class Comment extends CharacterData { constructor(s) { super(8, "#comment", s); } }
  class DocumentFragment extends Node {
    constructor() { super(11, "#document-fragment"); }
    getElementById(id) { return found(this, function (e) { return e.id === String(id); })[0] || null; }
  }
  class DOMException extends Error {
    constructor(message, name) { super(message); this.name = name || "Error"; this.code = name === "SyntaxError" ? 12 : 8; }
  }

  class DOMTokenList {
    constructor(e, attribute) { defineHidden(this, "e", e); defineHidden(this, "a", attribute); }
    get list() { return (this.e.getAttribute(this.a) || "").split(/\s+/).filter(Boolean); }
    put(l) { this.e.setAttribute(this.a, l.join(" ")); }
    get length() { return this.list.length; }
    get value() { return this.e.getAttribute(this.a) || ""; }
    set value(v) { this.e.setAttribute(this.a, v); }
    item(i) { return this.list[i] || null; }
    contains(c) { return this.list.indexOf(String(c)) >= 0; }
    add() { var l = this.list; [].forEach.call(arguments, function (c) { if (l.indexOf(String(c)) < 0) l.push(String(c)); }); this.put(l); }
    remove() { var out = [].map.call(arguments, String); this.put(this.list.filter(function (c) { return out.indexOf(c) < 0; })); }
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

  function styleOf() {
    var values = Object.create(null);
    var dashed = function (k) { return String(k).replace(/[A-Z]/g, function (c) { return "-" + c.toLowerCase(); }); };
    var methods = {
      setProperty: function (k, v) { values[dashed(k)] = String(v); },
      getPropertyValue: function (k) { return values[dashed(k)] || ""; },
      getPropertyPriority: function () { return ""; },
      removeProperty: function (k) { var old = values[dashed(k)] || ""; delete values[dashed(k)]; return old; },
      item: function (i) { return Object.keys(values)[i] || ""; }
    };
    return new Proxy(methods, {
      get: function (t, k) {
        if (typeof k !== "string") return t[k];
        if (Object.prototype.hasOwnProperty.call(methods, k)) return methods[k];
        if (k === "cssText") return Object.keys(values).map(function (p) { return p + ": " + values[p] + ";"; }).join(" ");
        if (k === "length") return Object.keys(values).length;
        if (/^(?:O|ms|Moz|Khtml)[A-Z]/.test(k)) return undefined;
        return k in Object.prototype ? Object.prototype[k] : values[dashed(k)] || "";
      },
      set: function (t, k, v) {
        if (k === "cssText") String(v).split(";").forEach(function (d) { var at = d.indexOf(":"); if (at > 0) values[d.slice(0, at).trim()] = d.slice(at + 1).trim(); });
        else values[dashed(k)] = String(v);
        return true;
      },
      has: function (t, k) { return typeof k === "string" && !/^(?:O|ms|Moz|Khtml)[A-Z]/.test(k); }
    });
  }

  var reflected = ["id", "title", "lang", "dir", "name", "type", "rel", "alt", "media", "target", "placeholder", "href", "src", "htmlFor", "integrity", "crossOrigin", "method", "action"];
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
      var l = new NodeList();
      var e = this;
      this.map.forEach(function (v, k) {
        var a = { name: k, nodeName: k, localName: k, value: v, nodeValue: v, specified: true, nodeType: 2, ownerElement: e };
        l.push(a);
        if (!(k in l)) defineHidden(l, k, a);
      });
      defineHidden(l, "getNamedItem", function (k) { return e.hasAttribute(k) ? l.filter(function (a) { return a.name === k; })[0] : null; });
      defineHidden(l, "removeNamedItem", function (k) { e.removeAttribute(k); });
      return l;
    }
    getAttribute(k) { k = String(k).toLowerCase(); return this.map.has(k) ? this.map.get(k) : null; }
    setAttribute(k, v) { k = String(k).toLowerCase(); this.map.set(k, String(v)); if (k === "id") everIDs.add(String(v)); if (loads[this.localName] === k && (this.isConnected || this.localName === "img" || this.localName === "audio")) asks(this); }
    removeAttribute(k) { this.map.delete(String(k).toLowerCase()); }
    hasAttribute(k) { return this.map.has(String(k).toLowerCase()); }
    hasAttributes() { return this.map.size > 0; }
    toggleAttribute(k, force) { var want = force === undefined ? !this.hasAttribute(k) : force; if (want) this.setAttribute(k, ""); else this.removeAttribute(k); return want; }
    getAttributeNames() { return Array.from(this.map.keys()); }
    getAttributeNS(ns, k) { return this.getAttribute(k); }
    setAttributeNS(ns, k, v) { this.setAttribute(k, v); }
    removeAttributeNS(ns, k) { this.removeAttribute(k); }
    hasAttributeNS(ns, k) { return this.hasAttribute(k); }
    getAttributeNode(k) { var e = this; return this.hasAttribute(k) ? { name: k, value: this.getAttribute(k), specified: true, ownerElement: e } : null; }
    get className() { return this.getAttribute("class") || ""; }
    set className(v) { this.setAttribute("class", v); }
    get classList() { return new DOMTokenList(this, "class"); }
    set classList(v) { this.className = v; }
    get relList() { return new DOMTokenList(this, "rel"); }
    get style() { if (!styles.has(this)) { var s = styleOf(); s.cssText = this.getAttribute("style") || ""; styles.set(this, s); } return styles.get(this); }
    set style(v) { this.style.cssText = v; }
    get dataset() {
      var e = this, key = function (k) { return "data-" + String(k).replace(/[A-Z]/g, function (c) { return "-" + c.toLowerCase(); }); };
      return new Proxy({}, {
        get: function (t, k) { var v = e.getAttribute(key(k)); return v === null ? undefined : v; },
        set: function (t, k, v) { e.setAttribute(key(k), v); return true; },
        has: function (t, k) { return e.hasAttribute(key(k)); },
        deleteProperty: function (t, k) { e.removeAttribute(key(k)); return true; },
        ownKeys: function () { return e.getAttributeNames().filter(function (n) { return n.indexOf("data-") === 0; }).map(function (n) { return n.slice(5).replace(/-([a-z])/g, function (m, c) { return c.toUpperCase(); }); }); },
        getOwnPropertyDescriptor: function (t, k) { return { value: e.getAttribute(key(k)), enumerable: true, configurable: true, writable: true }; }
      });
    }
    get innerHTML() { return this.childNodes.map(text).join(""); }
    set innerHTML(s) {
      while (this.firstChild) this.removeChild(this.firstChild);
      build(this, host.parse(String(s), this.localName), null);
    }
    get outerHTML() { return text(this); }
    insertAdjacentHTML(where, s) {
      var holder = new DocumentFragment();
      build(holder, host.parse(String(s), "div"), null);
      this.insertAdjacentElement(where, holder);
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
    matches(s) { return matchesAny(this, parseSelector(s)); }
    closest(s) { var p = parseSelector(s); for (var e = this; e && e.nodeType === 1; e = e.parentNode) if (matchesAny(e, p)) return e; return null; }
    getBoundingClientRect() { return { x: 0, y: 0, top: 0, left: 0, right: 0, bottom: 0, width: 0, height: 0, toJSON: function () { return {}; } }; }
    getClientRects() { return []; }
    get content() { return this.localName === "template" ? this.inside || (this.inside = new DocumentFragment()) : this.getAttribute("content") || ""; }
    set content(v) { this.setAttribute("content", v); }
    get offsetParent() { return this.parentElement; }
    get hidden() { return this.hasAttribute("hidden"); }
    set hidden(v) { this.toggleAttribute("hidden", !!v); }
    get tabIndex() { return Number(this.getAttribute("tabindex") || -1); }
    set tabIndex(v) { this.setAttribute("tabindex", v); }
    focus() {} blur() {} scrollIntoView() {} scrollTo() {} scrollBy() {} submit() {} reset() {} select() {} play() { return Promise.resolve(); } pause() {} load() {} showModal() {} close() {} show() {}
    click() { this.dispatchEvent(new Event("click", { bubbles: true, cancelable: true })); }
    animate() { return anything(); }
    attachShadow() { var s = new DocumentFragment(); s.host = this; s.mode = "open"; this.shadowRoot = s; return s; }
    getContext() { return anything(); }
    get sheet() { return anything(); }
    get form() { return this.closest("form"); }
    get elements() { return this.querySelectorAll("input, select, textarea, button"); }
    get options() { return this.querySelectorAll("option"); }
    get selectedIndex() { return 0; }
    set selectedIndex(v) {}
    get value() { return this.typed !== undefined ? this.typed : this.localName === "textarea" ? this.textContent : this.localName === "select" ? (this.querySelector("option") || { value: "" }).value : this.getAttribute("value") || (this.localName === "option" ? this.textContent : this.localName === "input" && /^(?:checkbox|radio)$/.test(this.type) ? "on" : ""); }
    set value(v) { defineHidden(this, "typed", String(v)); }
    get rows() { return this.querySelectorAll("tr"); }
    get cells() { return this.querySelectorAll("td, th"); }
    insertRow() { return this.appendChild(create("tr")); }
    insertCell() { return this.appendChild(create("td")); }
    get shadowRootMode() { return null; }
  }
  ["offsetWidth", "offsetHeight", "offsetTop", "offsetLeft", "clientWidth", "clientHeight", "clientTop", "clientLeft", "scrollWidth", "scrollHeight"].forEach(function (k) {
    Object.defineProperty(Element.prototype, k, { get: function () { return 0; }, configurable: true });
  });
  ["scrollTop", "scrollLeft"].forEach(function (k) { Element.prototype[k] = 0; });
  reflected.forEach(function (k) {
    var a = k === "htmlFor" ? "for" : k.toLowerCase();
    Object.defineProperty(Element.prototype, k, {
      get: function () {
        var v = this.getAttribute(a);
        if ((k === "href" || k === "src") && v !== null) return resolve(v);
        if (k === "type" && v === null && this.localName === "input") return "text";
        return v === null ? "" : v;
      },
      set: function (v) { this.setAttribute(a, v); }, configurable: true
    });
  });
  ["checked", "disabled", "selected", "multiple", "readOnly", "required", "autofocus", "defer", "noModule", "open"].forEach(function (k) {
    Object.defineProperty(Element.prototype, k, { get: function () { return this.hasAttribute(k); }, set: function (v) { this.toggleAttribute(k, !!v); }, configurable: true });
  });
  ["hash", "host", "hostname", "pathname", "port", "protocol", "search"].forEach(function (k) {
    Object.defineProperty(Element.prototype, k, { get: function () { return this.localName === "a" ? parts(this.href)[k] : undefined; }, configurable: true });
  });
  Object.defineProperty(Element.prototype, "async", { get: function () { return this.asyncSet !== undefined ? this.asyncSet : this.hasAttribute("async"); }, set: function (v) { defineHidden(this, "asyncSet", !!v); }, configurable: true });
  Object.defineProperty(Element.prototype, "text", { get: function () { return this.textContent; }, set: function (v) { this.textContent = v; }, configurable: true });

  var html = "http://www.w3.org/1999/xhtml";
  class HTMLElement extends Element {}
  class SVGElement extends Element { get ownerSVGElement() { return this.closest("svg"); } getBBox() { return { x: 0, y: 0, width: 0, height: 0 }; } createSVGPoint() { return anything(); } }
  var kinds = { html: "Html", a: "Anchor", area: "Area", audio: "Audio", base: "Base", body: "Body", br: "BR", button: "Button", canvas: "Canvas", data: "Data", datalist: "DataList", details: "Details", dialog: "Dialog", div: "Div", dl: "DList", embed: "Embed",
    fieldset: "FieldSet", font: "Font", form: "Form", frame: "Frame", head: "Head", h1: "Heading", hr: "HR", iframe: "IFrame", img: "Image", input: "Input", label: "Label", legend: "Legend", li: "LI", link: "Link", map: "Map", media: "Media", menu: "Menu", meta: "Meta",
    meter: "Meter", del: "Mod", object: "Object", ol: "OList", optgroup: "OptGroup", option: "Option", output: "Output", p: "Paragraph", param: "Param", picture: "Picture", pre: "Pre", progress: "Progress", q: "Quote", script: "Script", select: "Select", slot: "Slot",
    source: "Source", span: "Span", style: "Style", caption: "TableCaption", td: "TableCell", col: "TableCol", table: "Table", tr: "TableRow", tbody: "TableSection", template: "Template", textarea: "TextArea", time: "Time", title: "Title", track: "Track", ul: "UList", unknown: "Unknown", video: "Video" };
  var classes = Object.create(null);
  Object.keys(kinds).forEach(function (tag) { classes[tag] = root["HTML" + kinds[tag] + "Element"] = class extends HTMLElement {}; });
  ["SVG", "SVGGraphics", "SVGPath", "SVGG", "SVGRect", "SVGCircle", "SVGText", "SVGUse"].forEach(function (k) { root[k + "Element"] = k === "SVG" ? SVGElement : class extends SVGElement {}; });
  root.SVGSVGElement = class extends SVGElement {};
  var defined = Object.create(null);
  function create(name, ns) {
    name = String(name);
    if (!/^[A-Za-z_:][^\s<>\/]*$/.test(name)) throw new DOMException("The tag name provided ('" + name + "') is not a valid name.", "InvalidCharacterError");
    if (!ns || ns === html) {
      name = name.toLowerCase();
      if (defined[name]) host.touch();
      return new (classes[/^h[1-6]$/.test(name) ? "h1" : name] || HTMLElement)(name, html);
    }
    return new SVGElement(name, ns);
  }

  class Document extends Node {
    constructor() { super(9, "#document"); this.readyState = "loading"; this.currentScript = null; this.cookie = ""; this.referrer = ""; this.hidden = false; this.visibilityState = "visible"; this.designMode = "off"; }
    get documentElement() { return this.firstElementChild; }
    get head() { return this.documentElement && this.documentElement.children.filter(function (e) { return e.localName === "head"; })[0] || null; }
    get body() { return this.documentElement && this.documentElement.children.filter(function (e) { return e.localName === "body"; })[0] || null; }
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
    get activeElement() { return this.body; }
    get scrollingElement() { return this.documentElement; }
    get scripts() { return this.getElementsByTagName("script"); }
    get forms() { return this.getElementsByTagName("form"); }
    get images() { return this.getElementsByTagName("img"); }
    get links() { return this.querySelectorAll("a[href]"); }
    get styleSheets() { return this.querySelectorAll("style, link[rel=stylesheet]").map(function (e) { return { ownerNode: e, href: e.getAttribute("href"), cssRules: [], rules: [], disabled: false, insertRule: function () { return 0; }, deleteRule: function () {} }; }); }
    get fonts() { return { ready: new Promise(function () {}), load: function () { return new Promise(function () {}); }, check: function () { return true; }, add: function () {}, forEach: function () {}, addEventListener: function () {} }; }
    get implementation() { return { createHTMLDocument: function () { var d = new Document(); build(d, [["html", {}, [["head", {}, []], ["body", {}, []]]]], null); return d; }, hasFeature: function () { return true; }, createDocument: function () { return new Document(); } }; }
    get all() { return this.getElementsByTagName("*"); }
    get timeline() { return anything(); }
    getElementById(id) { id = String(id); return !everIDs.has(id) ? null : found(this, function (e) { return e.getAttribute("id") === id; })[0] || null; }
    getElementsByName(name) { return found(this, function (e) { return e.getAttribute("name") === String(name); }); }
    createElement(name) { return create(name); }
    createElementNS(ns, name) { return create(name, ns); }
    createTextNode(s) { return new Text(s); }
    createComment(s) { return new Comment(s); }
    createDocumentFragment() { return new DocumentFragment(); }
    createAttribute(k) { return { name: k, value: "" }; }
    createEvent() { return new CustomEvent(""); }
    createRange() { return anything(); }
    createTreeWalker(from) { var all = []; walk(from, function (n) { all.push(n); }); var at = -1; return { root: from, currentNode: from, nextNode: function () { at++; return this.currentNode = all[at] || null; } }; }
    createNodeIterator(from) { return this.createTreeWalker(from); }
    importNode(n, deep) { return n.cloneNode(deep); }
    adoptNode(n) { n.remove(); return n; }
    elementFromPoint() { return null; }
    hasFocus() { return true; }
    execCommand() { return false; }
    queryCommandSupported() { return false; }
    getSelection() { return anything(); }
    open() {} close() {}
    write() { for (var i = 0; i < arguments.length; i++) room.write(String(arguments[i])); }
    writeln() { this.write.apply(this, arguments); }
  }
  var document = new Document();
  classes.img.prototype.complete = true;

  // Markup out of nodes, and nodes out of what the host parsed: a text, or [tag, attributes, children].
  var voids = /^(?:area|base|br|col|embed|hr|img|input|link|meta|source|track|wbr)$/;
  function escaped(s) { return s.replace(/&/g, "&amp;").replace(/</g, "&lt;").replace(/>/g, "&gt;"); }
  function text(n) {
    if (n.nodeType === 3) return n.parentNode && /^(?:script|style)$/.test(n.parentNode.localName) ? n.data : escaped(n.data);
    if (n.nodeType === 8) return "<!--" + n.data + "-->";
    var s = "<" + n.localName;
    n.map.forEach(function (v, k) { s += " " + k + '="' + escaped(v).replace(/"/g, "&quot;") + '"'; });
    return s + ">" + (voids.test(n.localName) ? "" : n.childNodes.map(text).join("") + "</" + n.localName + ">");
  }
  function build(parent, list, onScript) {
    list.forEach(function (item) {
      if (typeof item === "string") { parent.childNodes.push(adopt(new Text(item), parent)); return; }
      if (item[0] === "!") { parent.childNodes.push(adopt(new Comment(item[1]), parent)); return; }
      var e = create(item[0], item[3]);
      for (var k in item[1]) e.map.set(k, item[1][k]);
      if (item[1] && "id" in item[1]) everIDs.add(item[1].id);
      parent.childNodes.push(adopt(e, parent));
      build(item[0] === "template" ? e.content : e, item[2], item[0] === "script" || item[0] === "template" ? null : onScript);
      if (item[0] === "script" && onScript) onScript(e);
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
      var m = /^([~|^$*!]?)=\s*(?:"([^"]*)"|'([^']*)'|([\w\u00a0-\uffff.-]+))\s*[is]?\s*\]/.exec(s.slice(at));
      if (m && m[1] !== "!") {
        at += m[0].length;
        var v = m[2] !== undefined ? m[2] : m[3] !== undefined ? m[3] : m[4];
        return function (e) {
          var has = e.getAttribute(k);
          if (has === null) return false;
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
          if (k === "has") return function (e) { return inner.some(function (steps) { return found(e, function (d) { return matchSteps(d, steps, steps.length - 1); }).length > 0; }); };
          return function (e) { return matchesAny(e, inner) === (k !== "not"); };
        }
        var close = s.indexOf(")", at);
        if (close < 0) fail();
        var arg = s.slice(at, close).trim();
        at = close + 1;
        if (/^nth-(?:last-)?(?:child|of-type)$/.test(k)) {
          var m = /^(?:(odd)|(even)|([+-]?\d*)n\s*([+-]\s*\d+)?|([+-]?\d+))$/.exec(arg);
          if (!m) fail();
          var a = m[1] || m[2] ? 2 : m[5] !== undefined ? 0 : m[3] === "" || m[3] === "+" ? 1 : m[3] === "-" ? -1 : Number(m[3]);
          var b = m[1] ? 1 : m[2] ? 0 : m[5] !== undefined ? Number(m[5]) : Number((m[4] || "0").replace(/\s/g, ""));
          return function (e) {
            var all = e.parentNode ? e.parentNode.children : [e];
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
        case "first-of-type": return function (e) { return !e.parentNode || e.parentNode.children.filter(function (x) { return x.localName === e.localName; })[0] === e; };
        case "last-of-type": return function (e) { return !e.parentNode || e.parentNode.children.filter(function (x) { return x.localName === e.localName; }).pop() === e; };
        case "empty": return function (e) { return !e.firstChild; };
        case "root": return function (e) { return e === document.documentElement; };
        case "scope": return function (e) { return e === scope; };
        case "checked": return function (e) { return e.checked || e.selected; };
        case "disabled": return function (e) { return e.disabled; };
        case "enabled": return function (e) { return !e.disabled && /^(?:input|button|select|textarea|option|fieldset)$/.test(e.localName); };
        case "link": case "any-link": return function (e) { return e.localName === "a" && e.hasAttribute("href"); };
        case "required": return function (e) { return e.required; };
        case "optional": case "valid": case "read-write": return function () { return true; };
        case "defined": return function (e) { return e.localName.indexOf("-") < 0 || !!defined[e.localName]; };
        case "hover": case "focus": case "active": case "visited": case "target": case "focus-visible": case "focus-within": case "invalid": case "indeterminate": case "fullscreen": case "read-only": case "placeholder-shown": case "autofill": case "modal": case "popover-open":
          return function () { return false; };
      }
      fail();
    }
    return selectors[s] = list("");
  }
  var scope = null;
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

  function noop() {}
  function observer() { return class { constructor() {} observe() {} unobserve() {} disconnect() {} takeRecords() { return []; } }; }
  function storage() {
    var m = new Map();
    return { getItem: function (k) { return m.has(String(k)) ? m.get(String(k)) : null; }, setItem: function (k, v) { m.set(String(k), String(v)); }, removeItem: function (k) { m.delete(String(k)); }, clear: function () { m.clear(); }, key: function (i) { return Array.from(m.keys())[i] || null; }, get length() { return m.size; } };
  }
  function inserted(e) { room.inserted(e); }

  // What elements ask for when they come onto the page, or when their attribute is set there (HTML Standard, each element's section).
  function asks(e) {
    var ref = e.getAttribute(loads[e.localName]);
    if (!ref || e.localName === "link" && !/(?:^|\s)(?:stylesheet|preload|modulepreload|icon|manifest)(?:\s|$)/i.test(e.getAttribute("rel") || "")) return;
    host.asks(resolve(ref), e.localName);
  }
  function arrive(n) {
    walk(n, function (e) { if (isElement(e) && e.localName !== "img" && e.localName !== "audio" && e.localName !== "script" && loads[e.localName]) asks(e); });
    if (loads[n.localName] && n.localName !== "img" && n.localName !== "audio") asks(n);
  }

  var room = {
    window: root, document: document, href: "https://site.invalid/", quirks: false, build: build, Event: Event, fire: fire,
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
    anything: anything
  };

  var given = {
    EventTarget: EventTarget, Event: Event, CustomEvent: CustomEvent, Node: Node, Element: Element, HTMLElement: HTMLElement, Text: Text, Comment: Comment, CharacterData: CharacterData, Document: Document, HTMLDocument: Document,
    DocumentFragment: DocumentFragment, ShadowRoot: DocumentFragment, DOMTokenList: DOMTokenList, NodeList: NodeList, HTMLCollection: NodeList, NamedNodeMap: NodeList, DOMException: DOMException, Window: function Window() {},
    document: document, location: Object.defineProperties({}, {}), history: { length: 1, state: null, scrollRestoration: "auto", pushState: noop, replaceState: noop, back: noop, forward: noop, go: noop },
    navigator: { userAgent: "Mozilla/5.0 (X11; Linux x86_64) AppleWebKit/537.36 (KHTML, like Gecko) Chrome/140.0.0.0 Safari/537.36", platform: "Linux x86_64", language: "en", languages: ["en"], vendor: "Google Inc.", appName: "Netscape", appVersion: "5.0", product: "Gecko", onLine: true, cookieEnabled: true, maxTouchPoints: 0, hardwareConcurrency: 2, plugins: [], mimeTypes: [], webdriver: false, doNotTrack: null, sendBeacon: function () { return true; }, javaEnabled: function () { return false; }, vibrate: noop },
    screen: { width: 1280, height: 800, availWidth: 1280, availHeight: 800, colorDepth: 24, pixelDepth: 24, orientation: { type: "landscape-primary", angle: 0 } },
    innerWidth: 1280, innerHeight: 800, outerWidth: 1280, outerHeight: 800, pageXOffset: 0, pageYOffset: 0, scrollX: 0, scrollY: 0, screenX: 0, screenY: 0, screenLeft: 0, screenTop: 0, devicePixelRatio: 1, name: "", status: "", closed: false, length: 0, origin: "https://site.invalid", opener: null, frameElement: null, isSecureContext: true, crossOriginIsolated: false, external: {}, chrome: {},
    setTimeout: function (f, ms) { return later(f, ms, false, [].slice.call(arguments, 2)); }, setInterval: function (f, ms) { return later(f, ms, true, [].slice.call(arguments, 2)); },
    clearTimeout: cancel, clearInterval: cancel, requestAnimationFrame: function (f) { return later(function () { f(clock); }, 16); }, cancelAnimationFrame: cancel,
    requestIdleCallback: function (f) { return later(function () { f({ didTimeout: false, timeRemaining: function () { return 10; } }); }, 20); }, cancelIdleCallback: cancel,
    queueMicrotask: function (f) { Promise.resolve().then(function () { host.run(f); }); },
    getComputedStyle: function (e) { return e && e.style ? e.style : styleOf(); }, matchMedia: function (q) { return { matches: false, media: String(q), onchange: null, addListener: noop, removeListener: noop, addEventListener: noop, removeEventListener: noop }; },
    getSelection: function () { return anything(); }, alert: noop, confirm: function () { return false; }, prompt: function () { return null; }, print: noop, focus: noop, blur: noop, close: noop, stop: noop, open: function () { return null; }, postMessage: noop,
    scroll: noop, scrollTo: noop, scrollBy: noop, moveTo: noop, moveBy: noop, resizeTo: noop, resizeBy: noop, find: function () { return false; }, reportError: function (e) { host.report("exception", e); },
    addEventListener: function (t, f, o) { EventTarget.prototype.addEventListener.call(root, t, f, o); }, removeEventListener: function (t, f) { EventTarget.prototype.removeEventListener.call(root, t, f); },
    dispatchEvent: function (e) { fire(root, e); return !e.defaultPrevented; },
    localStorage: storage(), sessionStorage: storage(), performance: { now: function () { return clock; }, mark: noop, measure: noop, getEntriesByType: function () { return []; }, getEntriesByName: function () { return []; }, timing: { navigationStart: 0 }, timeOrigin: 0, clearMarks: noop, clearMeasures: noop, navigation: { type: 0 } },
    MutationObserver: observer(), IntersectionObserver: observer(), ResizeObserver: observer(), PerformanceObserver: observer(), ReportingObserver: observer(), WebKitMutationObserver: undefined,
    customElements: { define: function (n, c) { defined[n] = c; host.touch(); }, get: function (n) { return defined[n]; }, whenDefined: function () { return new Promise(noop); }, upgrade: noop },
    fetch: function (to, how) { if (!how || !how.method || /^get$/i.test(how.method)) host.asks(resolve(to && to.url || to), "fetch"); return new Promise(noop); }, structuredClone: function (v) { return JSON.parse(JSON.stringify(v)); },
    atob: function (s) { return host.base64(String(s), false); }, btoa: function (s) { return host.base64(String(s), true); },
    Image: function (w, h) { return create("img"); }, Audio: function (src) { var a = create("audio"); if (src !== undefined) a.src = src; return a; }, Option: function (t, v) { var o = create("option"); if (t !== undefined) o.textContent = t; if (v !== undefined) o.setAttribute("value", v); return o; },
    Worker: class extends EventTarget { constructor(to) { super(); host.asks(resolve(to), "worker"); } postMessage() {} terminate() {} },
    CSS: { supports: function () { return true; }, escape: function (s) { return String(s).replace(/[^\w\u0080-\uffff-]/g, "\\$&"); } },
    XMLHttpRequest: class extends EventTarget { constructor() { super(); this.readyState = 0; this.status = 0; this.responseText = ""; this.withCredentials = false; } open(how, to) { this.readyState = 1; this.to = /^get$/i.test(how) ? resolve(to) : ""; } send() { if (this.to) host.asks(this.to, "fetch"); } abort() {} setRequestHeader() {} getResponseHeader() { return null; } getAllResponseHeaders() { return ""; } overrideMimeType() {} },
    AbortController: class { constructor() { this.signal = new EventTarget(); this.signal.aborted = false; } abort() { this.signal.aborted = true; } },
    DOMParser: class { parseFromString(s) { var d = new Document(); build(d, [["html", {}, [["head", {}, []], ["body", {}, host.parse(String(s), "body")]]]], null); return d; } },
    XMLSerializer: class { serializeToString(n) { return n.nodeType === 9 ? text(n.documentElement) : text(n); } },
    NodeFilter: { SHOW_ALL: 4294967295, SHOW_ELEMENT: 1, SHOW_TEXT: 4, SHOW_COMMENT: 128, FILTER_ACCEPT: 1, FILTER_REJECT: 2, FILTER_SKIP: 3 },
    console: {}
  };
  Object.keys(given).forEach(function (k) { defineHidden(root, k, given[k]); });
  ["UIEvent", "MouseEvent", "WheelEvent", "KeyboardEvent", "InputEvent", "FocusEvent", "TouchEvent", "PointerEvent", "DragEvent", "ClipboardEvent", "TransitionEvent", "AnimationEvent", "ProgressEvent", "ErrorEvent", "MessageEvent", "PopStateEvent", "HashChangeEvent", "PageTransitionEvent", "StorageEvent", "SubmitEvent", "ToggleEvent"].forEach(function (k) { defineHidden(root, k, class extends Event {}); });
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
    constructor(ref, base) {
      var parts = host.address(String(ref), base === undefined ? "" : String(base));
      if (!parts) throw new TypeError("Failed to construct 'URL': Invalid URL");
      for (var k in parts) this[k] = parts[k];
      this.searchParams = new URLSearchParams(this.search);
    }
    toString() { return this.href; }
    toJSON() { return this.href; }
    static canParse(ref, base) { return !!host.address(String(ref), base === undefined ? "" : String(base)); }
    static createObjectURL() { host.touch(); return "blob:" + location.origin + "/it"; }
    static revokeObjectURL() {}
  }
  class URLSearchParams {
    constructor(text) {
      this.list = [];
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
    append(k, v) { this.list.push([String(k), String(v)]); }
    delete(k) { this.list = this.list.filter(function (pair) { return pair[0] !== k; }); }
    set(k, v) { this.delete(k); this.append(k, v); }
    get(k) { var pair = this.list.find(function (pair) { return pair[0] === k; }); return pair ? pair[1] : null; }
    getAll(k) { return this.list.filter(function (pair) { return pair[0] === k; }).map(function (pair) { return pair[1]; }); }
    has(k) { return this.get(k) !== null; }
    sort() { this.list.sort(function (a, b) { return a[0] < b[0] ? -1 : a[0] > b[0] ? 1 : 0; }); }
    forEach(f, self) { this.list.slice().forEach(function (pair) { f.call(self, pair[1], pair[0]); }); }
    entries() { return this.list[Symbol.iterator](); }
    keys() { return this.list.map(function (pair) { return pair[0]; })[Symbol.iterator](); }
    values() { return this.list.map(function (pair) { return pair[1]; })[Symbol.iterator](); }
    [Symbol.iterator]() { return this.entries(); }
    toString() { return this.list.map(function (pair) { return encodeURIComponent(pair[0]) + "=" + encodeURIComponent(pair[1]); }).join("&"); }
  }
  defineHidden(root, "URL", URL);
  defineHidden(root, "URLSearchParams", URLSearchParams);
  host.browser().forEach(function (k) { if (!(k in root)) defineHidden(root, k, anything()); });
  ["onclick", "onsubmit", "onchange", "oninput", "onfocus", "onblur", "onkeydown", "onkeyup", "onkeypress", "onmousedown", "onmouseup", "onmouseover", "onmouseout", "onmousemove", "onmouseenter", "onmouseleave", "onwheel", "onselect", "oncontextmenu", "ondblclick", "ondragstart", "ondrop", "onpointerdown", "onpointerup", "onpointermove", "onanimationstart", "onanimationend", "ontransitionend", "onstorage", "onoffline", "ononline", "onpagehide", "onpageshow", "onrejectionhandled", "onunhandledrejection",
   "onload", "onerror", "onresize", "onscroll", "onhashchange", "onpopstate", "onbeforeunload", "onunload", "onmessage", "ontouchstart"].forEach(function (k) { if (k !== "ontouchstart") defineHidden(root, k, null); });
  ["onclick", "onload", "onerror", "onchange", "oninput", "onsubmit", "onkeydown", "onkeyup", "onmousedown", "onmouseup", "onfocus", "onblur", "onwheel", "onscroll", "onanimationend", "ontransitionend", "onpointerdown"].forEach(function (k) {
    Object.defineProperty(Element.prototype, k, { value: null, writable: true, configurable: true });
    if (!(k in Document.prototype)) Object.defineProperty(Document.prototype, k, { value: null, writable: true, configurable: true });
  });
  return room;
})
