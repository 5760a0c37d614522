// Small drawings of what a unit is, in a square of 24 by 24, after the sense of ISO 10628: one path each.
const VESSEL = "M8 4 Q12 1 16 4 V20 Q12 23 8 20 Z";
const CIRCLE = "M12 3 A9 9 0 1 1 11.99 3 Z";
const LYING = "M4 8 H20 Q23 12 20 16 H4 Q1 12 4 8 Z";
/** @type {Record<string, string>} */
export const SYMBOLS = {
  mixer: "M3 5 L12 12 L3 19 M12 12 H21",
  splitter: "M3 12 H12 L21 5 M12 12 L21 19",
  heater: `${CIRCLE} M1 20 L9 14 L13 12 L15 9 L23 4`,
  exchanger: `${CIRCLE} M1 12 H6 L9 7 L15 17 L18 12 H23`,
  pump: `${CIRCLE} M7 5 L21 12 L7 19`,
  compressor: `${CIRCLE} M5 6.5 L20 9 M5 17.5 L20 15`,
  expander: `${CIRCLE} M4 9 L19 6.5 M4 15 L19 17.5`,
  valve: "M3 6 L21 18 V6 L3 18 Z",
  "flash-drum": `${VESSEL} M8 13 H16`,
  decanter: `${LYING} M3.2 12 H20.8`,
  "three-phase-separator": `${LYING} M3 10.6 H21 M3 13.4 H21`,
  "shortcut-column": "M8 3 Q12 0 16 3 V21 Q12 24 8 21 Z M8 7 H16 M8 11 H16 M8 15 H16 M8 19 H16",
  washer: "M8 3 Q12 0 16 3 V21 Q12 24 8 21 Z M8 8 L16 16 M16 8 L8 16",
  "species-separator": "M4 4 H20 V20 H4 Z M4 20 L20 4",
  "stirred-tank": "M6 4 V18 Q12 23 18 18 V4 Z M12 1 V14 M8.5 14 H15.5 M6 9 H18",
  "batch-reactor": "M6 6 V18 Q12 23 18 18 V6 Q12 2 6 6 Z M12 1 V14 M8.5 14 H15.5",
  "semi-batch-reactor": "M6 9 V19 Q12 23 18 19 V9 Q12 6 6 9 Z M13.5 6 V15 M10.5 15 H16.5 M2 6 H8.5 V11 M7 9.5 L8.5 11 L10 9.5",
  "multibed-converter": `${VESSEL} M8 6 H16 M8 9 H16 M8 14 H16 M8 17 H16 M16 11.5 H22 M2 11.5 H8`,
  "quench-converter": `${VESSEL} M8 6 H16 M8 9 H16 M8 14 H16 M8 17 H16 M2 11.5 H11 M9 9.5 L11 11.5 L9 13.5`,
  "side-fed-tube": "M2 10 H22 V18 H2 Z M6 2 V9 M12 2 V9 M18 2 V9 M5 7 L6 9 L7 7 M11 7 L12 9 L13 7 M17 7 L18 9 L19 7",
  "recycle-reactor": "M4 11 H20 V18 H4 Z M21 14 H23 V5 H1 V14 H3 M8 18 L11 11 M13 18 L16 11",
  "tanks-in-series": "M1 7 V16 H7 V7 M9 7 V16 H15 V7 M17 7 V16 H23 V7 M7 9 H9 M15 9 H17 M4 4 V13 M12 4 V13 M20 4 V13",
  "dispersed-tube": "M2 8 H22 V16 H2 Z M6 12 H18 M8 10 L6 12 L8 14 M16 10 L18 12 L16 14",
  "residence-time-reactor": "M3 4 V20 H21 M4 19 Q7 3 11 10 Q14 17 20 18.5",
  "membrane-reactor": "M2 4 H22 V20 H2 Z M2 12 H5 M8 12 H11 M14 12 H17 M20 12 H22 M12 7 V17 M10 15 L12 17 L14 15",
  "plug-flow": "M2 8 H22 V16 H2 Z M5 16 L9 8 M10 16 L14 8 M15 16 L19 8",
  "electrolytic-reactor": `${VESSEL} M10.5 1 V14 M13.5 1 V14`,
};
const REACTOR = `${VESSEL} M8 8 L16 16 M16 8 L8 16 M8 8 H16 M8 16 H16`;
/** @param {string} kind */
export const symbolOf = (kind) => SYMBOLS[kind] || REACTOR;
