/*! tidechart-marks v4.0.0: a dot at high water. MIT */
(function (tidechart) {
  "use strict";

  tidechart.part(function (svg, hours) {
    var high = hours.indexOf(Math.max.apply(null, hours));
    var dot = document.createElementNS(svg.namespaceURI, "circle");
    dot.setAttribute("cx", high * 10);
    dot.setAttribute("cy", 60 - hours[high] * 10);
    dot.setAttribute("r", 2);
    svg.appendChild(dot);
  });
})(window.tidechart);
