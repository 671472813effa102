/*!
 * oarlock v2.1.0
 * A page helper: find, listen, change.
 * Released under the MIT License
 */
(function (root, factory) {
  if (typeof define === "function" && define.amd) {
    define([], factory);
  } else if (typeof module === "object" && module.exports) {
    module.exports = factory();
  } else {
    root.oarlock = factory();
  }
})(typeof self !== "undefined" ? self : this, function () {
  "use strict";

  var waiting = [];
  var isReady = document.readyState !== "loading";

  class Crew {
    constructor(elements) {
      this.elements = elements;
      this.length = elements.length;
    }
  }

  // oarlock(selector) finds elements; oarlock(function) runs it when the page is there.
  function oarlock(what) {
    if (typeof what === "function") {
      if (isReady) {
        what();
      } else {
        waiting.push(what);
      }
      return oarlock;
    }
    var found = typeof what === "string" ? document.querySelectorAll(what) : [what];
    return new Crew(Array.prototype.slice.call(found));
  }

  Crew.prototype.each = function (visit) {
    this.elements.forEach(visit);
    return this;
  };

  Crew.prototype.on = function (event, handler) {
    return this.each(function (element) {
      element.addEventListener(event, handler);
    });
  };

  Crew.prototype.toggle = function (name) {
    return this.each(function (element) {
      element.classList.toggle(name);
    });
  };

  Crew.prototype.text = function (value) {
    return this.each(function (element) {
      element.textContent = value;
    });
  };

  Crew.prototype.attr = function (name, value) {
    return this.each(function (element) {
      element.setAttribute(name, value);
    });
  };

  // New in 2.0: make an element, with its text.
  oarlock.make = function (tag, text) {
    var element = document.createElement(tag);
    element.textContent = text || "";
    return new Crew([element]);
  };

  document.addEventListener("DOMContentLoaded", function () {
    isReady = true;
    waiting.forEach(function (call) {
      call();
    });
  });

  oarlock.fn = Crew.prototype;
  oarlock.version = "2.1.0";
  return oarlock;
});
