/*! foghorn v1.0.0 | MIT */
export function tone(hertz, seconds) {
  return { hertz: hertz, seconds: seconds };
}
