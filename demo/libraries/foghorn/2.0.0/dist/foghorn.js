/*! foghorn v2.0.0 | MIT */
import { ring } from "bellbuoy";
import { tone } from "./tone.js";

// blasts lists those of one minute in fog.
export function blasts(count, seconds) {
  return ring(count, 60).map((at) => tone(110, seconds, at));
}

// describe writes a signal as a chart does.
export function describe(list) {
  return `Horn(${list.length}) 60s`;
}
