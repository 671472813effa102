/*!
 * logbook v1.0.0
 * A photo log.
 * Released under the MIT License
 */
(function (root) {
  "use strict";

  var entries = [];

  // logbook(element) fills an element with the entries that were written so far.
  function logbook(element) {
    element.className = "logbook";
    entries.forEach(function (entry) {
      var box = document.createElement("div");
      box.className = "logbook-entry";
      box.textContent = entry;
      element.appendChild(box);
    });
    return element;
  }

  logbook.write = function (text) {
    entries.push(String(text));
    return logbook;
  };

  logbook.version = "1.0.0";
  root.logbook = logbook;
})(window);
