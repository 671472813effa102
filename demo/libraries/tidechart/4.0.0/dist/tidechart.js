/*!
 * tidechart v4.0.0
 * Draws a tide curve.
 * Released under the MIT License
 */
(function (root, factory) {
  if (typeof define === "function" && define.amd) {
    define(["oarlock"], factory);
  } else if (typeof module === "object" && module.exports) {
    module.exports = factory(require("oarlock"));
  } else {
    root.tidechart = factory(root.oarlock);
  }
})(typeof self !== "undefined" ? self : this, function (oarlock) {
  "use strict";

  var shape = "http://www.w3.org/2000/svg";
  var parts = [];

  // tidechart(selector, hours) draws the heights, one for each hour, into the elements found.
  function tidechart(selector, hours) {
    var points = hours.map(function (height, hour) {
      return hour * 10 + "," + (60 - height * 10);
    });
    oarlock(selector).each(function (element) {
      var svg = document.createElementNS(shape, "svg");
      var line = document.createElementNS(shape, "polyline");
      svg.setAttribute("viewBox", "0 0 " + hours.length * 10 + " 70");
      svg.setAttribute("class", "tidechart");
      line.setAttribute("points", points.join(" "));
      svg.appendChild(line);
      parts.forEach(function (draw) {
        draw(svg, hours);
      });
      element.appendChild(svg);
    });
    return tidechart;
  }

  tidechart.part = function (draw) {
    parts.push(draw);
  };

  oarlock.fn.tide = function (hours) {
    this.each(function (element) {
      tidechart(element, hours);
    });
    return this;
  };

  tidechart.version = "4.0.0";
  return tidechart;
});
