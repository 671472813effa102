/*! foghorn v2.0.0 | MIT */
import { describe } from "foghorn";

// echo gives every blast back from the cliffs, softer and a second later.
export function echo(list) {
  return list.flatMap((blast) => [blast, { ...blast, hertz: blast.hertz / 2, at: blast.at + 1 }]);
}

// describeEcho writes a signal with its echo.
export function describeEcho(list) {
  return `${describe(list)}, and back from the cliffs`;
}
