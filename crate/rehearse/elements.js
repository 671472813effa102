// What elements do by their kinds (HTML Standard, section 4): forms and their controls, tables, templates, media, and
// elements of a page's own. It is called with what room.js made, and with the host.
(function (dom, host) {
  "use strict";
  var root = dom.root, classes = dom.classes, HTMLElement = dom.HTMLElement, NodeList = dom.NodeList, Event = dom.Event;
  var hide = dom.defineHidden, document = dom.document, create = dom.create;

  function give(tags, members) {
    tags.split(" ").forEach(function (tag) {
      Object.defineProperties((classes[tag] || root[tag]).prototype, Object.getOwnPropertyDescriptors(members));
    });
  }
  // Attributes that properties stand for (HTML Standard, section 2.6.1): texts, addresses, flags and numbers.
  function define(tag, k, get, set) {
    Object.defineProperty((tag === "*" ? HTMLElement : classes[tag]).prototype, k, { get: get, set: set, enumerable: true, configurable: true });
  }
  // Most pages have few kinds of elements: those members come with the first of a kind, or when its class is asked for.
  var pending = new Map();
  function laterOn(tag, f) {
    if (tag === "*") { f(); return; }
    var C = classes[tag], list = pending.get(C);
    if (!list) {
      pending.set(C, list = []);
      if (C.name && root[C.name] === C) Object.defineProperty(root, C.name, { get: function () { settle(C); return C; }, set: function (v) { hide(root, C.name, v); }, configurable: true });
    }
    list.push(f);
  }
  function settle(C) {
    var list = pending.get(C);
    if (!list) return;
    pending.delete(C);
    if (C.name) hide(root, C.name, C);
    list.forEach(function (f) { f(); });
  }
  dom.settle = function (name) { var C = classes[name]; if (C && pending.size) settle(C); };
  function each(list, f) {
    list.split("; ").forEach(function (row) {
      var words = row.split(": ");
      words[0].split(" ").forEach(function (tag) { if (tag === "*" || classes[tag]) laterOn(tag, function () { words[1].split(" ").forEach(function (k) { f(tag, k); }); }); });
    });
  }
  var names = { htmlFor: "for", httpEquiv: "http-equiv", acceptCharset: "accept-charset", noModule: "nomodule", defaultChecked: "checked", defaultSelected: "selected", defaultMuted: "muted" };
  function attributeOf(k) { return names[k] || k.toLowerCase(); }
  each("*: title lang dir accessKey nonce slot popover inputMode enterKeyHint; a area link base: target; a area link: rel hreflang referrerPolicy; a: download type charset name coords shape rev ping; area img: alt; img iframe script link: referrerPolicy; img source: srcset sizes; link: media as integrity type fetchPriority; script: type charset integrity fetchPriority event; style: media type; meta: name content httpEquiv media; " +
    "input: name accept alt dirName max min pattern placeholder step formTarget; textarea: name placeholder dirName wrap; select button fieldset output form map meta iframe object param slot: name; input textarea select: autocomplete; form: target acceptCharset; label output: htmlFor; optgroup track: label; ol: type; li: type; th td: headers scope abbr; canvas: id; iframe: allow sandbox srcdoc width height align; embed object source: type; object: data useMap; track: kind srclang; time del ins: dateTime; data param: value; video: poster; table: align border width summary; td: align vAlign bgColor; html: version; img: name useMap; details: name", function (tag, k) {
    if (tag !== "*" && !classes[tag]) return;
    var a = attributeOf(k);
    define(tag, k, function () { var v = this.getAttribute(a); return v === null ? "" : v; }, function (v) { this.setAttribute(a, v); });
  });
  each("a area link base: href; img script iframe audio video embed source track input: src; form: action; button input: formAction; blockquote q del ins: cite", function (tag, k) {
    if (!classes[tag]) return;
    var a = attributeOf(k);
    define(tag, k, function () {
      var v = this.getAttribute(a);
      return v !== null && (v !== "" || tag !== "form") ? dom.resolve(v) : tag === "form" || k === "formAction" ? root.location.href : "";
    }, function (v) { this.setAttribute(a, v); });
  });
  each("*: hidden inert autofocus; input: defaultChecked disabled required readOnly multiple; textarea: disabled required readOnly; select: disabled required multiple; button fieldset optgroup option link: disabled; option: defaultSelected; script: defer noModule; details dialog: open; form: noValidate; button input: formNoValidate; audio video: autoplay controls loop defaultMuted; video: playsInline; ol: reversed; img: isMap; iframe: allowFullscreen; track: default", function (tag, k) {
    var a = attributeOf(k);
    define(tag, k, function () { return this.hasAttribute(a); }, function (v) { this.toggleAttribute(a, !!v); });
  });
  each("input textarea: maxLength minLength; td: colSpan rowSpan; col: span; textarea: cols rows; input select: size; li: value; ol: start; img canvas video input: width height; progress meter: max", function (tag, k) {
    var unset = { maxLength: -1, minLength: -1, colSpan: 1, rowSpan: 1, span: 1, cols: 20, rows: 2, start: 1, max: 1 };
    define(tag, k, function () {
      var v = parseInt(this.getAttribute(k.toLowerCase()), 10);
      if (k === "size" && tag === "input" && !(v > 0)) return 20;
      if (tag === "canvas" && !(v >= 0)) return k === "width" ? 300 : 150;
      return isNaN(v) ? unset[k] || 0 : v;
    }, function (v) { this.setAttribute(k.toLowerCase(), String(Math.trunc(v) || 0)); });
  });
  [["form", "autocomplete", "on"], ["img", "loading", "auto"], ["img", "decoding", "auto"], ["iframe", "loading", "auto"], ["audio", "preload", "metadata"], ["video", "preload", "metadata"]].forEach(function (p) {
    define(p[0], p[1], function () { return this.getAttribute(p[1]) || p[2]; }, function (v) { this.setAttribute(p[1], v); });
  });
  ["crossOrigin"].forEach(function (k) {
    ["img", "script", "link", "audio", "video"].forEach(function (tag) {
      define(tag, k, function () { return this.getAttribute("crossorigin"); }, function (v) { if (v === null) this.removeAttribute("crossorigin"); else this.setAttribute("crossorigin", v); });
    });
  });
  ["a", "area"].forEach(function (tag) {
    ["hash", "host", "hostname", "pathname", "port", "protocol", "search", "origin", "username", "password"].forEach(function (k) {
      define(tag, k, function () { try { return this.hasAttribute("href") ? new root.URL(this.href)[k] : k === "protocol" ? ":" : ""; } catch (e) { return ""; } }, function (v) {
        try { var u = new root.URL(this.href); u[k] = v; this.setAttribute("href", u.href); } catch (e) {}
      });
    });
    give(tag, { toString() { return this.href; }, get text() { return this.textContent; }, set text(v) { this.textContent = v; }, get relList() { return new dom.DOMTokenList(this, "rel"); } });
  });
  give("link", { get relList() { return new dom.DOMTokenList(this, "rel"); }, get sheet() { return dom.anything(); } });
  give("style", { get sheet() { return dom.anything(); } });
  give("script title option", { get text() { return this.localName === "option" ? this.textContent.replace(/\s+/g, " ").trim() : this.textContent; }, set text(v) { this.textContent = v; } });
  give("script", { get async() { return this.asyncSet !== undefined ? this.asyncSet : this.hasAttribute("async"); }, set async(v) { hide(this, "asyncSet", !!v); } });
  root.HTMLScriptElement.supports = function (type) { return type === "classic" || type === "module" || type === "importmap"; };

  // Forms (section 4.10).
  var controls = /^(?:button|fieldset|input|object|output|select|textarea)$/, labelled = /^(?:button|input|meter|output|progress|select|textarea)$/;
  function listed(e) { return controls.test(e.localName) && !(e.localName === "input" && e.type === "image"); }
  class HTMLFormControlsCollection extends dom.HTMLCollection {}
  class RadioNodeList extends NodeList {
    get value() { var on = Array.from(this).filter(function (e) { return e.checked; })[0]; return on ? on.value : ""; }
    set value(v) { this.forEach(function (e) { if (e.value === String(v)) e.checked = true; }); }
  }
  class HTMLOptionsCollection extends dom.HTMLCollection {}
  [RadioNodeList, HTMLFormControlsCollection, HTMLOptionsCollection].forEach(function (C) { hide(root, C.name, C); dom.tag(C.prototype, C.name); });
  function byName(list, to) {
    list.forEach(function (e) {
      [e.getAttribute("name"), e.id].forEach(function (k) {
        if (!k || k in to && !to["$" + k]) return;
        var same = list.filter(function (o) { return o.id === k || o.getAttribute("name") === k; });
        var v = same[0];
        if (same.length > 1) v = dom.listAs(RadioNodeList, same);
        Object.defineProperty(to, k, { value: v, configurable: true, writable: true });
      });
    });
    return to;
  }
  function elementsOf(form) { return dom.found(document, function (e) { return listed(e) && ownerOf(e) === form; }).filter(function () { return true; }); }
  function inside(form) { return form.isConnected ? elementsOf(form) : dom.found(form, listed).filter(function () { return true; }); }
  function ownerOf(e) {
    if (e.hasAttribute("form")) { var f = document.getElementById(e.getAttribute("form")); return f && f.localName === "form" ? f : null; }
    return e.closest("form");
  }
  give("form", {
    get elements() { var all = inside(this); return byName(all, dom.listAs(HTMLFormControlsCollection, all)); },
    get length() { return this.elements.length; },
    get method() { var m = (this.getAttribute("method") || "get").toLowerCase(); return m === "post" || m === "dialog" ? m : "get"; }, set method(v) { this.setAttribute("method", v); },
    get enctype() { return this.getAttribute("enctype") || "application/x-www-form-urlencoded"; }, set enctype(v) { this.setAttribute("enctype", v); },
    submit() {},
    requestSubmit(by) {
      if (!this.noValidate && !this.reportValidity()) return;
      this.dispatchEvent(new root.SubmitEvent("submit", { bubbles: true, cancelable: true, submitter: by || null }));
    },
    reset() {
      if (!this.dispatchEvent(new Event("reset", { bubbles: true, cancelable: true }))) return;
      inside(this).forEach(function (e) { if (e.formReset) e.formReset(); });
    },
    checkValidity() { return inside(this).map(function (e) { return !e.checkValidity || e.checkValidity(); }).every(Boolean); },
    reportValidity() { return this.checkValidity(); },
    [Symbol.iterator]() { return this.elements[Symbol.iterator](); }
  });
  // A form has its controls by name, too (section 4.10.3); they are looked up where it has no such member itself.
  dom.behind(root.HTMLFormElement, function (form, k) { return /^\d+$/.test(k) ? form.elements[k] : Object.prototype.hasOwnProperty.call(form.elements, k) && isNaN(k) ? form.elements[k] : undefined; });

  class ValidityState {
    constructor(e) { hide(this, "e", e); }
    get valueMissing() { var e = this.e; return !!e.required && !e.disabled && (e.type === "checkbox" ? !e.checked : e.type === "radio" ? !group(e).some(function (r) { return r.checked; }) : e.value === ""); }
    get typeMismatch() { var e = this.e, v = e.value; return v !== "" && (e.type === "email" ? !/^[^\s@]+@[^\s@]+$/.test(v) : e.type === "url" ? !/^[a-z][\w+.-]*:\S/i.test(v) : false); }
    get patternMismatch() { var e = this.e, p = e.localName === "input" && e.pattern; if (!p || e.value === "") return false; try { return !new RegExp("^(?:" + p + ")$").test(e.value); } catch (x) { return false; } }
    get tooLong() { var e = this.e; return !!e.touchedByUser && e.maxLength >= 0 && e.value.length > e.maxLength; }
    get tooShort() { return false; }
    get rangeUnderflow() { return numeric(this.e) && this.e.min !== "" && this.e.valueAsNumber < asNumber(this.e, this.e.min); }
    get rangeOverflow() { return numeric(this.e) && this.e.max !== "" && this.e.valueAsNumber > asNumber(this.e, this.e.max); }
    get stepMismatch() {
      var e = this.e;
      if (!numeric(e) || e.step === "any" || e.type !== "number" && e.type !== "range" || isNaN(e.valueAsNumber)) return false;
      var step = Number(e.step) > 0 ? Number(e.step) : 1, base = Number(e.min) || Number(e.getAttribute("value")) || 0, n = (e.valueAsNumber - base) / step;
      return Math.abs(n - Math.round(n)) > 1e-7;
    }
    get badInput() { return false; }
    get customError() { return !!this.e.ownFault; }
    get valid() { return !(this.valueMissing || this.typeMismatch || this.patternMismatch || this.tooLong || this.rangeUnderflow || this.rangeOverflow || this.stepMismatch || this.customError); }
  }
  hide(root, "ValidityState", ValidityState);
  dom.tag(ValidityState.prototype, "ValidityState");
  function numeric(e) { return e.localName === "input" && /^(?:number|range|date|time|month|week|datetime-local)$/.test(e.type) && e.value !== ""; }
  function asNumber(e, v) {
    switch (e.type) {
      case "number": case "range": return v === "" ? NaN : Number(v);
      case "date": return Date.parse(v + "T00:00:00Z");
      case "datetime-local": return Date.parse(v + "Z");
      case "time": var t = /^(\d\d):(\d\d)(?::(\d\d(?:\.\d+)?))?$/.exec(v); return t ? (t[1] * 60 + Number(t[2])) * 60000 + Number(t[3] || 0) * 1000 : NaN;
      case "month": var m = /^(\d{4})-(\d\d)$/.exec(v); return m ? (m[1] - 1970) * 12 + Number(m[2]) - 1 : NaN;
    }
    return NaN;
  }
  function group(e) { return dom.found(e.getRootNode(), function (o) { return o.localName === "input" && o.type === "radio" && o.name === e.name && e.name !== "" && ownerOf(o) === ownerOf(e); }); }
  var control = {
    get form() { return ownerOf(this); },
    get labels() { var e = this; return labelled.test(this.localName) ? dom.listOf(dom.found(e.getRootNode(), function (l) { return l.localName === "label" && l.control === e; })) : null; },
    get willValidate() { return !isDisabled(this) && !this.readOnly && !/^(?:button|reset|hidden)$/.test(this.type) && !/^(?:output|fieldset|object)$/.test(this.localName); },
    get validity() { return new ValidityState(this); },
    get validationMessage() { return !this.willValidate || this.validity.valid ? "" : this.ownFault || "Please fill out this field."; },
    setCustomValidity(text) { hide(this, "ownFault", String(text)); },
    checkValidity() { if (!this.willValidate || this.validity.valid) return true; this.dispatchEvent(new Event("invalid", { cancelable: true })); return false; },
    reportValidity() { return this.checkValidity(); }
  };
  give("button fieldset input object output select textarea", control);
  give("option", { get form() { var s = this.closest("select"); return s ? s.form : null; } });
  give("label legend", { get form() { return this.localName === "label" ? this.control && this.control.form || null : this.closest("form"); } });
  give("meter progress output", { get labels() { var e = this; return dom.listOf(dom.found(e.getRootNode(), function (l) { return l.localName === "label" && l.control === e; })); } });
  give("label", { get control() { var id = this.getAttribute("for"); var e = id !== null ? this.getRootNode().getElementById ? this.getRootNode().getElementById(id) : null : dom.found(this, function (o) { return labelled.test(o.localName) && o.type !== "hidden"; })[0]; return e && labelled.test(e.localName) ? e : null; } });
  give("fieldset", { get type() { return "fieldset"; }, get elements() { return dom.collection(dom.found(this, listed)); } });
  give("button", { get type() { var t = (this.getAttribute("type") || "submit").toLowerCase(); return /^(?:reset|button)$/.test(t) ? t : "submit"; }, set type(v) { this.setAttribute("type", v); }, get value() { return this.getAttribute("value") || ""; }, set value(v) { this.setAttribute("value", v); } });
  give("output", { get type() { return "output"; }, get value() { return this.textContent; }, set value(v) { this.textContent = v; }, get defaultValue() { return this.textContent; } });
  var types = /^(?:button|checkbox|color|date|datetime-local|email|file|hidden|image|month|number|password|radio|range|reset|search|submit|tel|text|time|url|week)$/;
  function caret(e) { return e.textLike ? e.selectionAt || [e.value.length, e.value.length] : null; }
  var texts = {
    get selectionStart() { var c = caret(this); return c && c[0]; }, set selectionStart(v) { hide(this, "selectionAt", [Number(v), Math.max(Number(v), caret(this)[1])]); },
    get selectionEnd() { var c = caret(this); return c && c[1]; }, set selectionEnd(v) { hide(this, "selectionAt", [caret(this)[0], Number(v)]); },
    get selectionDirection() { return this.textLike ? "none" : null; }, set selectionDirection(v) {},
    select() { if (this.textLike) hide(this, "selectionAt", [0, this.value.length]); },
    setSelectionRange(a, b) { if (!this.textLike) throw new dom.DOMException("The input element's type ('" + this.type + "') does not support selection.", "InvalidStateError"); hide(this, "selectionAt", [Number(a), Number(b)]); },
    setRangeText(s, a, b) { var c = caret(this) || [0, 0], v = this.value; a = a === undefined ? c[0] : a; b = b === undefined ? c[1] : b; this.value = v.slice(0, a) + s + v.slice(b); },
    get defaultValue() { return this.localName === "textarea" ? this.textContent : this.getAttribute("value") || ""; },
    set defaultValue(v) { if (this.localName === "textarea") this.textContent = v; else this.setAttribute("value", v); }
  };
  give("input textarea", texts);
  give("textarea", {
    get type() { return "textarea"; }, get textLike() { return true; }, get textLength() { return this.value.length; },
    get value() { return this.typed !== undefined ? this.typed : this.textContent; }, set value(v) { hide(this, "typed", v === null ? "" : String(v).replace(/\r\n?/g, "\n")); hide(this, "selectionAt", undefined); },
    formReset() { hide(this, "typed", undefined); }
  });
  give("input", {
    get type() { var t = (this.getAttribute("type") || "").toLowerCase(); return types.test(t) ? t : "text"; }, set type(v) { this.setAttribute("type", v); },
    get textLike() { return /^(?:text|search|url|tel|password)$/.test(this.type); },
    get value() {
      if (/^(?:checkbox|radio)$/.test(this.type)) return this.hasAttribute("value") ? this.getAttribute("value") : "on";
      if (/^(?:hidden|submit|image|reset|button)$/.test(this.type)) return this.getAttribute("value") || "";
      if (this.type === "file") return "";
      return cleaned(this, this.typed !== undefined ? this.typed : this.getAttribute("value") || "");
    },
    set value(v) {
      v = v === null ? "" : String(v);
      if (this.type === "file") { if (v !== "") throw new dom.DOMException("This input element accepts a filename, which may only be programmatically set to the empty string.", "InvalidStateError"); return; }
      if (/^(?:checkbox|radio|hidden|submit|image|reset|button)$/.test(this.type)) { this.setAttribute("value", v); return; }
      hide(this, "typed", v); hide(this, "selectionAt", undefined);
    },
    get checked() { return this.on !== undefined ? this.on : this.hasAttribute("checked"); },
    set checked(v) { hide(this, "on", !!v); if (v && this.type === "radio") { var e = this; group(this).forEach(function (o) { if (o !== e) hide(o, "on", false); }); } },
    get indeterminate() { return !!this.neither; }, set indeterminate(v) { hide(this, "neither", !!v); },
    get files() { return this.type === "file" ? Object.assign(new NodeList(), { item: function () { return null; } }) : null; }, set files(v) {},
    get list() { var l = this.hasAttribute("list") && document.getElementById(this.getAttribute("list")); return l && l.localName === "datalist" ? l : null; },
    get valueAsNumber() { return asNumber(this, this.value); },
    set valueAsNumber(n) { this.value = this.type === "date" ? new Date(n).toISOString().slice(0, 10) : this.type === "time" ? new Date(n).toISOString().slice(11, 16) : isNaN(n) ? "" : String(n); },
    get valueAsDate() { return /^(?:date|time|month|week)$/.test(this.type) && this.value !== "" ? new Date(this.type === "month" ? this.value + "-01T00:00:00Z" : asNumber(this, this.value)) : null; },
    set valueAsDate(d) { this.value = d === null ? "" : this.type === "time" ? d.toISOString().slice(11, 16) : d.toISOString().slice(0, this.type === "month" ? 7 : 10); },
    stepUp(n) { this.value = String((this.valueAsNumber || 0) + (n === undefined ? 1 : n) * (Number(this.step) || 1)); },
    stepDown(n) { this.stepUp(-(n === undefined ? 1 : n)); },
    showPicker() {},
    formReset() { hide(this, "typed", undefined); hide(this, "on", undefined); }
  });
  // What an input makes of a text that is set (section 4.10.5.1).
  function cleaned(e, v) {
    switch (e.type) {
      case "number": return v !== "" && /^-?(?:\d+|\d*\.\d+)(?:e[+-]?\d+)?$/i.test(v) ? v : "";
      case "range":
        var low = e.min === "" ? 0 : Number(e.min), high = Math.max(low, e.max === "" ? 100 : Number(e.max)), n = /^-?[\d.]+(?:e[+-]?\d+)?$/i.test(v) ? Number(v) : low + (high - low) / 2;
        return String(Math.min(high, Math.max(low, n)));
      case "date": return /^\d{4,}-(?:0[1-9]|1[0-2])-(?:0[1-9]|[12]\d|3[01])$/.test(v) ? v : "";
      case "time": return /^(?:[01]\d|2[0-3]):[0-5]\d(?::[0-5]\d(?:\.\d{1,3})?)?$/.test(v) ? v : "";
      case "month": return /^\d{4,}-(?:0[1-9]|1[0-2])$/.test(v) ? v : "";
      case "week": return /^\d{4,}-W(?:0[1-9]|[1-4]\d|5[0-3])$/.test(v) ? v : "";
      case "datetime-local": return /^\d{4,}-\d\d-\d\d[T ]\d\d:\d\d/.test(v) ? v.replace(" ", "T") : "";
      case "color": return /^#[0-9a-f]{6}$/i.test(v) ? v.toLowerCase() : "#000000";
      case "email": case "url": return v.replace(/[\r\n]/g, "").trim();
    }
    return v.replace(/[\r\n]/g, "");
  }
  function optionsOf(select) { return dom.found(select, function (e) { return e.localName === "option"; }); }
  function chosen(select) {
    var all = optionsOf(select), on = all.filter(function (o) { return o.picked !== undefined ? o.picked : o.hasAttribute("selected"); });
    if (select.multiple) return on;
    if (on.length) return [on.reduce(function (a, b) { return (b.pickedAt || 0) >= (a.pickedAt || 0) ? b : a; })];
    if (select.emptied || select.size > 1) return [];
    var first = all.filter(function (o) { return !o.disabled; })[0];
    return first ? [first] : [];
  }
  var picks = 0;
  function pick(option, on) { hide(option, "picked", on); hide(option, "pickedAt", on ? ++picks : 0); }
  give("select", {
    get type() { return this.multiple ? "select-multiple" : "select-one"; },
    get options() {
      var s = this, all = optionsOf(s), l = dom.listAs(HTMLOptionsCollection, all);
      hide(l, "add", function (o, before) { s.add(o, before); });
      hide(l, "remove", function (i) { s.remove(i); });
      Object.defineProperty(l, "selectedIndex", { get: function () { return s.selectedIndex; }, set: function (v) { s.selectedIndex = v; } });
      return byName(all, l);
    },
    get length() { return optionsOf(this).length; }, set length(n) { var l = optionsOf(this); while (l.length > n) l.pop().remove(); },
    get selectedOptions() { return dom.collection(chosen(this)); },
    get selectedIndex() { var on = chosen(this)[0]; return on ? optionsOf(this).indexOf(on) : -1; },
    set selectedIndex(n) { var all = optionsOf(this); all.forEach(function (o) { pick(o, false); }); hide(this, "emptied", !all[n]); if (all[n]) pick(all[n], true); },
    get value() { var on = chosen(this)[0]; return on ? on.value : ""; },
    set value(v) { var all = optionsOf(this); this.selectedIndex = all.findIndex(function (o) { return o.value === String(v); }); },
    add(o, before) { if (typeof before === "number") before = optionsOf(this)[before]; if (before) before.parentNode.insertBefore(o, before); else this.appendChild(o); },
    remove(i) { if (arguments.length === 0) { dom.Node.prototype.remove.call(this); return; } var o = optionsOf(this)[i]; if (o) o.remove(); },
    item(i) { return optionsOf(this)[i] || null; },
    namedItem(k) { return this.options.namedItem(k); },
    formReset() { hide(this, "emptied", false); optionsOf(this).forEach(function (o) { hide(o, "picked", undefined); }); },
    [Symbol.iterator]() { return optionsOf(this)[Symbol.iterator](); }
  });
  dom.behind(root.HTMLSelectElement, function (s, k) { return /^\d+$/.test(k) ? optionsOf(s)[k] : undefined; });
  give("option", {
    get value() { return this.hasAttribute("value") ? this.getAttribute("value") : this.text; }, set value(v) { this.setAttribute("value", v); },
    get label() { return this.getAttribute("label") || this.text; }, set label(v) { this.setAttribute("label", v); },
    get index() { var s = this.closest("select"); return s ? optionsOf(s).indexOf(this) : 0; },
    get selected() { var s = this.closest("select"); return s ? chosen(s).indexOf(this) >= 0 : this.picked !== undefined ? this.picked : this.hasAttribute("selected"); },
    set selected(v) {
      var s = this.closest("select"), e = this;
      if (v && s && !s.multiple) optionsOf(s).forEach(function (o) { if (o !== e) pick(o, false); });
      pick(this, !!v);
    }
  });
  give("datalist", { get options() { return dom.collection(optionsOf(this)); } });
  give("progress", { get value() { return Number(this.getAttribute("value")) || 0; }, set value(v) { this.setAttribute("value", v); }, get position() { return this.hasAttribute("value") ? this.value / this.max : -1; } });
  give("meter", { get value() { return Number(this.getAttribute("value")) || 0; }, set value(v) { this.setAttribute("value", v); }, get min() { return Number(this.getAttribute("min")) || 0; }, get low() { return Number(this.getAttribute("low")) || this.min; }, get high() { return Number(this.getAttribute("high")) || this.max; } });
  function isDisabled(e) { return /^(?:button|input|select|textarea|fieldset|optgroup|option)$/.test(e.localName) && (e.disabled || !!e.closest("fieldset[disabled]")); }
  dom.isDisabled = isDisabled;

  class FormData {
    constructor(form, by) {
      hide(this, "list", []);
      var d = this;
      if (form === undefined) return;
      if (!form || form.localName !== "form") throw new TypeError("Failed to construct 'FormData': parameter 1 is not of type 'HTMLFormElement'.");
      inside(form).forEach(function (e) {
        var k = e.getAttribute("name");
        if (!k || isDisabled(e) || e.closest("datalist") || /^(?:checkbox|radio)$/.test(e.type) && !e.checked || /^(?:button|reset|submit|image)$/.test(e.type) && e !== by || /^(?:object|output|fieldset)$/.test(e.localName)) return;
        if (e.localName === "select") chosen(e).forEach(function (o) { if (!o.disabled) d.append(k, o.value); });
        else d.append(k, e.type === "file" ? dom.anything() : e.value);
      });
    }
    append(k, v) { this.list.push([String(k), v !== null && typeof v === "object" ? v : String(v)]); }
    delete(k) { hide(this, "list", this.list.filter(function (p) { return p[0] !== k; })); }
    get(k) { var p = this.list.find(function (p) { return p[0] === k; }); return p ? p[1] : null; }
    getAll(k) { return this.list.filter(function (p) { return p[0] === k; }).map(function (p) { return p[1]; }); }
    has(k) { return this.get(k) !== null; }
    set(k, v) { var at = this.list.findIndex(function (p) { return p[0] === k; }); if (at < 0) { this.append(k, v); return; } this.list[at][1] = typeof v === "object" ? v : String(v); hide(this, "list", this.list.filter(function (p, i) { return i <= at || p[0] !== k; })); }
    entries() { return this.list.map(function (p) { return p.slice(); })[Symbol.iterator](); }
    keys() { return this.list.map(function (p) { return p[0]; })[Symbol.iterator](); }
    values() { return this.list.map(function (p) { return p[1]; })[Symbol.iterator](); }
    forEach(f, self) { this.list.slice().forEach(function (p) { f.call(self, p[1], p[0], this); }, this); }
    [Symbol.iterator]() { return this.entries(); }
  }
  hide(root, "FormData", FormData);
  dom.tag(FormData.prototype, "FormData");

  // What a click does beside its event (section 6.4.4, and each element's own).
  dom.click = function (e) {
    if (isDisabled(e)) return;
    var was = e.localName === "input" && /^(?:checkbox|radio)$/.test(e.type) ? [e.checked, e.type === "radio" ? group(e).filter(function (r) { return r.checked; })[0] : null] : null;
    if (was) e.checked = e.type === "radio" || !e.checked;
    var event = new root.PointerEvent("click", { bubbles: true, cancelable: true, composed: true });
    var goes = e.dispatchEvent(event);
    if (was && !goes) { e.checked = was[0]; if (was[1]) was[1].checked = true; return; }
    if (was && e.checked !== was[0] && e.isConnected) ["input", "change"].forEach(function (k) { e.dispatchEvent(new Event(k, { bubbles: true })); });
    if (!goes) return;
    for (var n = e; n && n.nodeType === 1; n = n.parentNode) {
      var form = /^(?:button|input)$/.test(n.localName) ? n.form : null;
      if (form && (n.type === "submit" || n.type === "image")) { form.requestSubmit(n); return; }
      if (form && n.type === "reset") { form.reset(); return; }
      if (n.localName === "label" && n.control && n.control !== e && !n.control.contains(e)) { dom.click(n.control); return; }
      if (n.localName === "summary" && n.parentNode && n.parentNode.localName === "details") {
        var d = n.parentNode;
        d.open = !d.open;
        dom.later(function () { d.dispatchEvent(new root.ToggleEvent("toggle", {})); }, 0);
        return;
      }
      if (/^(?:a|button|input|select|textarea)$/.test(n.localName)) return;
    }
  };

  // Tables (section 4.9).
  function kids(e, test) { return dom.elementsIn(e).filter(function (c) { return test.test(c.localName); }); }
  function rowsOf(e) {
    var l = [];
    [/^thead$/, null, /^tfoot$/].forEach(function (part) {
      dom.elementsIn(e).forEach(function (c) {
        if (part ? part.test(c.localName) : c.localName === "tbody") l.push.apply(l, kids(c, /^tr$/));
        else if (!part && c.localName === "tr") l.push(c);
      });
    });
    return l;
  }
  function put(list, parent, e, at) {
    if (at === undefined) at = -1;
    if (at < -1 || at > list.length) throw new dom.DOMException("The value provided (" + at + ") is outside the range [-1, " + list.length + "].", "IndexSizeError");
    if (at < 0 || at === list.length) parent.appendChild(e); else list[at].parentNode.insertBefore(e, list[at]);
    return e;
  }
  function takeOut(list, at) {
    if (at === -1) at = list.length - 1;
    if (at < -1 || at > list.length - 1) throw new dom.DOMException("The value provided (" + at + ") is outside the range.", "IndexSizeError");
    if (list[at]) list[at].remove();
  }
  var tablePart = { caption: "caption", tHead: "thead", tFoot: "tfoot" };
  give("table", {
    get tBodies() { return dom.collection(kids(this, /^tbody$/)); },
    get rows() { return dom.collection(rowsOf(this)); },
    insertRow(at) {
      var rows = this.rows, tr = create("tr"), last = this.tBodies[this.tBodies.length - 1];
      if (!rows.length) { if (!last) last = this.appendChild(create("tbody")); last.appendChild(tr); return tr; }
      return put(rows, rows[rows.length - 1].parentNode, tr, at);
    },
    deleteRow(at) { takeOut(this.rows, at); },
    createTBody() { var b = this.tBodies, e = create("tbody"); if (b.length) b[b.length - 1].after(e); else this.appendChild(e); return e; },
    createCaption() { return this.caption || (this.prepend(create("caption")), this.caption); }, deleteCaption() { if (this.caption) this.caption.remove(); },
    createTHead() { if (!this.tHead) this.insertBefore(create("thead"), dom.elementsIn(this).filter(function (c) { return !/^(?:caption|colgroup)$/.test(c.localName); })[0] || null); return this.tHead; }, deleteTHead() { if (this.tHead) this.tHead.remove(); },
    createTFoot() { return this.tFoot || this.appendChild(create("tfoot")); }, deleteTFoot() { if (this.tFoot) this.tFoot.remove(); }
  });
  Object.keys(tablePart).forEach(function (k) {
    define("table", k, function () { return kids(this, new RegExp("^" + tablePart[k] + "$"))[0] || null; }, function (v) { var old = this[k]; if (old) old.remove(); if (v) this.prepend(v); });
  });
  give("tbody", { get rows() { return dom.collection(kids(this, /^tr$/)); }, insertRow(at) { return put(this.rows, this, create("tr"), at); }, deleteRow(at) { takeOut(this.rows, at); } });
  give("tr", {
    get cells() { return dom.collection(kids(this, /^t[dh]$/)); }, insertCell(at) { return put(this.cells, this, create("td"), at); }, deleteCell(at) { takeOut(this.cells, at); },
    get rowIndex() { var t = this.closest("table"); return t ? rowsOf(t).indexOf(this) : -1; },
    get sectionRowIndex() { return this.parentNode ? kids(this.parentNode, /^tr$/).indexOf(this) : -1; }
  });
  give("td", { get cellIndex() { return this.parentNode && this.parentNode.localName === "tr" ? kids(this.parentNode, /^t[dh]$/).indexOf(this) : -1; } });

  // Templates, media, pictures, frames, dialogs.
  give("template", { get content() { return this.inside || (hide(this, "inside", new dom.DocumentFragment()), this.inside); } });
  give("audio video", {
    play() { hide(this, "plays", true); this.dispatchEvent(new Event("play")); return Promise.resolve(); }, pause() { hide(this, "plays", false); this.dispatchEvent(new Event("pause")); }, load() {},
    canPlayType(t) { return /(?:mp4|mpeg|ogg|webm|wav)/.test(t) ? "maybe" : ""; },
    get paused() { return !this.plays; }, get ended() { return false; }, get duration() { return NaN; }, get readyState() { return 0; }, get networkState() { return 0; }, get error() { return null; }, get seeking() { return false; }, get currentSrc() { return this.src; },
    get buffered() { return { length: 0, start: function () { return 0; }, end: function () { return 0; } }; }, get played() { return this.buffered; }, get seekable() { return this.buffered; },
    addTextTrack() { return dom.anything(); }, get textTracks() { return dom.anything(); }
  });
  ["currentTime", "playbackRate", "defaultPlaybackRate", "volume"].forEach(function (k) {
    ["audio", "video"].forEach(function (tag) { define(tag, k, function () { return this["$" + k] !== undefined ? this["$" + k] : k === "currentTime" ? 0 : 1; }, function (v) { hide(this, "$" + k, Number(v)); }); });
  });
  ["audio", "video"].forEach(function (tag) { define(tag, "muted", function () { return this.still !== undefined ? this.still : this.hasAttribute("muted"); }, function (v) { hide(this, "still", !!v); }); });
  give("video", { get videoWidth() { return 0; }, get videoHeight() { return 0; } });
  give("img", { get complete() { return !this.getAttribute("src"); }, get naturalWidth() { return 0; }, get naturalHeight() { return 0; }, get currentSrc() { return this.src; }, decode() { return new Promise(function () {}); } });
  give("canvas", { getContext(kind) { return kind === "2d" || /gl/.test(kind) ? this.context || (hide(this, "context", dom.anything()), this.context) : null; }, toDataURL() { host.touch(); return "data:,"; }, toBlob() {} });
  give("iframe", { get contentWindow() { return this.isConnected ? dom.anything() : null; }, get contentDocument() { return this.isConnected ? dom.anything() : null; } });
  give("object embed", { get contentDocument() { return null; }, getSVGDocument() { return null; } });
  give("dialog", {
    show() { this.open = true; }, showModal() { if (this.open) throw new dom.DOMException("The element already has an 'open' attribute.", "InvalidStateError"); this.open = true; },
    close(v) { if (!this.open) return; this.open = false; if (v !== undefined) hide(this, "answer", String(v)); var d = this; dom.later(function () { d.dispatchEvent(new Event("close")); }, 0); },
    get returnValue() { return this.answer || ""; }, set returnValue(v) { hide(this, "answer", String(v)); }
  });
  give("map", { get areas() { return dom.collection(dom.found(this, function (e) { return e.localName === "area"; })); } });
  give("slot", { assignedNodes() { return []; }, assignedElements() { return []; } });

  // Elements of a page's own (section 4.13).
  var registry = dom.defined, byClass = new Map(), waiting = Object.create(null), building = [];
  dom.ownConstruction = function (target) {
    if (building.length && building[building.length - 1].of === target) { var e = building[building.length - 1].e; building[building.length - 1].of = null; return e; }
    var name = byClass.get(target);
    if (!name) throw new TypeError("Illegal constructor");
    return null;
  };
  dom.ownName = function (target) { return byClass.get(target); };
  function upgrade(e) {
    var C = registry[e.localName];
    if (!C || e.upgraded) return;
    hide(e, "upgraded", true);
    Object.setPrototypeOf(e, C.prototype);
    building.push({ of: C, e: e });
    try { new C(); } finally { building.pop(); }
    if (C.observedAttributes) e.map.forEach(function (v, k) { tell(e, k, null, v); });
    if (e.isConnected) react(e, "connectedCallback");
  }
  function guarded(e) { host.run(function () { upgrade(e); }); }
  function react(e, k) {
    if (!e.upgraded || typeof e[k] !== "function") return;
    var args = [].slice.call(arguments, 2);
    host.run(function () { e[k].apply(e, args); });
  }
  function tell(e, k, old, v) {
    var C = registry[e.localName];
    if (C && C.observedAttributes && Array.from(C.observedAttributes).indexOf(k) >= 0) react(e, "attributeChangedCallback", k, old, v, null);
  }
  dom.attributeChanged = function (e, k, old, v) { if (e.upgraded) tell(e, k, old, v); };
  dom.made = function (e) { if (registry[e.localName]) guarded(e); };
  dom.arrived = function (e) { if (registry[e.localName]) { if (e.upgraded) react(e, "connectedCallback"); else guarded(e); } };
  dom.left = function (e) { if (e.upgraded) react(e, "disconnectedCallback"); };
  class CustomElementRegistry {
    define(name, C) {
      if (!/^[a-z][^A-Z\s]*-[^A-Z\s]*$/.test(name)) throw new dom.DOMException("Failed to execute 'define' on 'CustomElementRegistry': \"" + name + "\" is not a valid custom element name", "SyntaxError");
      if (typeof C !== "function") throw new TypeError("Failed to execute 'define' on 'CustomElementRegistry': parameter 2 is not of type 'Function'.");
      if (registry[name]) throw new dom.DOMException("Failed to execute 'define' on 'CustomElementRegistry': the name \"" + name + "\" has already been used with this registry", "NotSupportedError");
      if (byClass.has(C)) throw new dom.DOMException("Failed to execute 'define' on 'CustomElementRegistry': this constructor has already been used with this registry", "NotSupportedError");
      registry[name] = C;
      byClass.set(C, name);
      dom.found(document, function (e) { return e.localName === name; }).forEach(guarded);
      if (waiting[name]) waiting[name].forEach(function (f) { f(C); });
    }
    get(name) { return registry[name]; }
    getName(C) { return byClass.get(C) || null; }
    whenDefined(name) { return registry[name] ? Promise.resolve(registry[name]) : new Promise(function (f) { (waiting[name] = waiting[name] || []).push(f); }); }
    upgrade(n) { if (n.nodeType === 1) upgrade(n); dom.walk(n, function (e) { if (e.nodeType === 1) upgrade(e); }); }
  }
  hide(root, "CustomElementRegistry", CustomElementRegistry);
  dom.tag(CustomElementRegistry.prototype, "CustomElementRegistry");
  hide(root, "customElements", new CustomElementRegistry());

  // What few pages use comes when it is asked for (File API; Encoding Standard).
  function bytesOf(s) { var u = unescape(encodeURIComponent(s)), b = new Uint8Array(u.length); for (var i = 0; i < u.length; i++) b[i] = u.charCodeAt(i); return b; }
  function textOf(b) { var s = ""; b = ArrayBuffer.isView(b) ? new Uint8Array(b.buffer, b.byteOffset, b.byteLength) : new Uint8Array(b); for (var i = 0; i < b.length; i++) s += String.fromCharCode(b[i]); try { return decodeURIComponent(escape(s)); } catch (e) { return s; } }
  function once(f) { var v; return function () { return v || (v = f()); }; }
  var blob = once(function () {
    class Blob {
      constructor(parts, how) {
        var s = "";
        for (var p of parts || []) s += p instanceof Blob ? p.held : p instanceof ArrayBuffer || ArrayBuffer.isView(p) ? textOf(p) : String(p);
        hide(this, "held", s); hide(this, "kind", String(how && how.type || "").toLowerCase());
      }
      get size() { return bytesOf(this.held).length; }
      get type() { return this.kind; }
      slice(from, to, type) { return new Blob([textOf(bytesOf(this.held).slice(from, to))], { type: type }); }
      text() { return Promise.resolve(this.held); }
      arrayBuffer() { return Promise.resolve(bytesOf(this.held).buffer); }
      bytes() { return Promise.resolve(bytesOf(this.held)); }
    }
    return Blob;
  });
  dom.late = {
    Blob: blob,
    File: once(function () {
      return class File extends root.Blob { constructor(parts, name, how) { super(parts, how); hide(this, "called", String(name)); } get name() { return this.called; } get lastModified() { return 0; } };
    }),
    FileReader: once(function () {
      class FileReader extends root.EventTarget {
        constructor() { super(); this.readyState = 0; this.result = null; this.error = null; }
        give(blob, result) {
          var self = this;
          if (!(blob instanceof root.Blob)) throw new TypeError("Failed to execute 'read' on 'FileReader': parameter 1 is not of type 'Blob'.");
          this.readyState = 1;
          dom.later(function () { self.readyState = 2; self.result = result(); ["load", "loadend"].forEach(function (k) { var e = new Event(k); self.dispatchEvent(e); }); }, 1);
        }
        readAsText(b) { this.give(b, function () { return b.held; }); }
        readAsDataURL(b) { this.give(b, function () { return "data:" + (b.type || "application/octet-stream") + ";base64," + root.btoa(unescape(encodeURIComponent(b.held))); }); }
        readAsArrayBuffer(b) { this.give(b, function () { return bytesOf(b.held).buffer; }); }
        abort() {}
      }
      ["onload", "onloadend", "onerror", "onprogress", "onloadstart", "onabort"].forEach(function (k) {
        var held = new WeakMap();
        Object.defineProperty(FileReader.prototype, k, { get: function () { return held.get(this) || null; }, set: function (f) { var old = held.get(this); if (old) this.removeEventListener(k.slice(2), old); held.set(this, f); if (typeof f === "function") this.addEventListener(k.slice(2), f); }, configurable: true });
      });
      return FileReader;
    }),
    TextEncoder: once(function () { return class TextEncoder { get encoding() { return "utf-8"; } encode(s) { return bytesOf(s === undefined ? "" : String(s)); } }; }),
    TextDecoder: once(function () { return class TextDecoder { get encoding() { return "utf-8"; } decode(b) { return b === undefined ? "" : textOf(b); } }; })
  };
})
