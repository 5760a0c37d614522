// Every kind of plot, by the name that its data carry.
import { constant } from "./constant.js";
import * as contours from "./contours.js";
import { profile } from "./curves.js";
import * as fit from "./fit.js";
import * as lines from "./lines.js";
import { pair } from "./pair.js";
import { region } from "./region.js";
import { residuals } from "./residuals.js";
import { sections, through } from "./sections.js";
import { sizing } from "./sizing.js";
import * as solves from "./solves.js";
import * as swings from "./swings.js";
import { group } from "./tabs.js";
import * as trade from "./trade.js";

/**
 * plot: what is drawn of the data and of what the page offers. offer: what the page lets one choose, filled and read; again: draw anew.
 * beside: plots in other nodes that go with a point of this one, at first with where they begin.
 * @typedef {{plot: (found: any, choice?: any) => import("./frame.js").Plot,
 *   offer?: (node: HTMLElement, found: any, again: () => void) => any,
 *   beside?: (found: any, x: number, y: number, choice: any) => [string, import("./frame.js").Plot][],
 *   begin?: (found: any) => [number, number]}} Kind
 * @type {Record<string, Kind>}
 */
export const KINDS = {
  constant: { plot: constant },
  contours: { plot: contours.contours, offer: contours.offer, beside: sections, begin: through },
  "fit-arrhenius": { plot: fit.arrhenius },
  "fit-ellipse": { plot: fit.ellipse },
  "fit-off": { plot: fit.off, offer: fit.over },
  "fit-parity": { plot: fit.parity },
  "fit-through": { plot: fit.through },
  lines: { plot: lines.lines, offer: lines.offer },
  pair: { plot: pair },
  profile: { plot: profile, offer: group },
  residuals: { plot: residuals },
  region: { plot: region },
  sizing: { plot: sizing },
  solves: { plot: solves.solves, offer: solves.offer },
  swings: { plot: swings.swings, offer: swings.offer },
  trade: { plot: trade.trade, offer: trade.offer },
};
