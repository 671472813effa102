/*! bellbuoy v1.0.0 | MIT */

// ring spreads a number of strokes over a time, in seconds.
export function ring(strokes, seconds) {
  return Array.from({ length: strokes }, (_, n) => (n * seconds) / strokes);
}
