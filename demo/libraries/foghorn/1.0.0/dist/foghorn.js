/*! foghorn v1.0.0 | MIT */
import { ring } from "bellbuoy";
import { tone } from "./tone.js";

// signal lists the blasts of one minute in fog.
export function signal(blasts, seconds) {
  return ring(blasts, 60).map((at) => tone(110, seconds, at));
}

// describe writes a signal as a chart does.
export function describe(list) {
  return `Horn(${list.length}) 60s`;
}
