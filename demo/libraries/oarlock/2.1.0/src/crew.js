// Part of oarlock's sources: put together into dist/oarlock.js.
export function Crew(elements) {
  this.elements = elements;
  this.length = elements.length;
}
