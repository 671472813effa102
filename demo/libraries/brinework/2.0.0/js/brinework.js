/*!
 * Brinework v2.0.0
 * Licensed under MIT
 */
(function (oarlock) {
  "use strict";

  if (!oarlock) {
    throw new Error("Brinework needs oarlock: include oarlock before brinework");
  }

  oarlock.fn.callout = function (text) {
    return this.each(function (element) {
      element.classList.add("bw-callout");
      element.textContent = text;
    });
  };

  oarlock(function () {
    document.documentElement.setAttribute("data-brinework", "2.0.0");
  });

  window.Brinework = { version: "2.0.0", theme: "sea" };
})(window.oarlock);
