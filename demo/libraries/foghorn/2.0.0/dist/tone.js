/*! foghorn v2.0.0 | MIT */
export function tone(hertz, seconds, at) {
  return { hertz, seconds, at };
}
