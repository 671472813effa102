/*!
 * Brinework v1.2.0
 * Licensed under MIT
 */
(function (oarlock) {
  "use strict";

  if (!oarlock) {
    throw new Error("Brinework needs oarlock: include oarlock before brinework");
  }

  oarlock.fn.notice = function (text) {
    return this.each(function (element) {
      element.classList.add("bw-note");
      element.textContent = text;
    });
  };

  oarlock(function () {
    document.documentElement.setAttribute("data-brinework", "1.2.0");
  });

  window.Brinework = { version: "1.2.0" };
})(window.oarlock);
