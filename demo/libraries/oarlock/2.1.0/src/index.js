// Part of oarlock's sources: put together into dist/oarlock.js.
import { Crew } from "./crew.js";
export default function oarlock(what) {
  return new Crew([what]);
}
