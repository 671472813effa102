/*! foghorn v1.0.0 | MIT */
import { tone } from "./tone.js";

export function sound(seconds) {
  return tone(110, seconds);
}
