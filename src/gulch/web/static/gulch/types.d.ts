// What the scripts of the page share, and what libraries put on it.
declare const htmx: any;
declare const Alpine: any;
declare const Idiomorph: any;
declare const ELK: any;
declare const Plotly: any;
interface Window {
  Plotly?: any;
}

/** What an event is about: a control of a form mostly. What else it may be lacks some of this. */
type Control = Omit<HTMLInputElement, "closest"> & { closest(which: string): any };
/** Every element of our pages is one of HTML or of SVG. */
interface Element {
  readonly dataset: DOMStringMap;
  focus(options?: FocusOptions): void;
  blur(): void;
}
type Asked = CustomEvent<any>;
interface DocumentEventMap {
  "alpine:init": Event;
  "gulch:drawn": Event;
  "gulch:resized": Event;
  "gulch:theme": Event;
  "htmx:afterRequest": Asked;
  "htmx:afterSettle": Asked;
  "htmx:afterSwap": Asked;
  "htmx:beforeRequest": Asked;
  "htmx:beforeSwap": Asked;
  "htmx:configRequest": Asked;
  "htmx:responseError": Asked;
  "htmx:sendError": Asked;
}

/** Lengths of the map are its own units; px are the screen's. */
type Point = { x: number; y: number };
type Size = { width: number; height: number };
/** to: where on its stream a name at a distance is tied. */
type Box = Point & Size & { to?: Point };
type Placed = Box & { id: string };
type Bounds = { left: number; right: number };

/** A stream as the map shows it; wraps: it goes on in another row. */
type MapStream = {
  id: string;
  from: string | null;
  to: string | null;
  port?: string;
  inlet?: string;
  wraps?: boolean;
  share: number | null;
  text: string;
  mass_text: string;
  state_text: string;
  molar: number | null;
  mass: number | null;
};
type MapUnit = { id: string; kind: string; symbol: string; headline: string; state: "good" | "bad" | "doubt" | "idle"; ports: Record<string, "top" | "bottom" | "side"> };
type MapLoop = { letter: string; label: string; why: string; settled: boolean; units: string[] };
type ProcessMap = { streams: MapStream[]; units: MapUnit[]; loops: MapLoop[]; select: string; stale: boolean };
/** How wide streams are drawn by: moles or mass; what stands at them. */
type Shows = "molar" | "mass";
type Says = "flow" | "state" | "name";

/** Where the parts of a map stand. */
type Run = { id?: string; points?: Point[]; sections?: { startPoint: Point; endPoint: Point; bendPoints?: Point[] }[] };
type Laid = Size & { nodes: Record<string, Placed>; edges: Record<string, Run> };
type Edges = Bounds & { top: number; bottom: number };
/** Of one row its map; of several, which units stand in each and how each is laid out; shape: of the window it was laid out for. */
type Row = Laid & { map?: ProcessMap };
type Whole = Row & { rows?: string[][]; parts?: Row[]; shape?: number };
