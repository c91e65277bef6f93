/** The shape of everything the server sends, in one place; Maschera.App/BenchScene.cs and BenchClock.cs have the same. */
export interface UnitChoice {
  unit: string;
  factor: number;
  offset: number;
}
export interface ChannelInfo {
  id: number;
  name: string;
  unit: string;
  units: UnitChoice[];
  ink: number;
  expression: string | null;
  marked: boolean;
  read: boolean;
  desired: boolean;
  /** The probe measures from minus this to plus this, in `unit`; null where that is not known. */
  range: number | null;
}
export interface LaneChannel {
  channel: number;
  unit: string | null;
  hidden: boolean;
  invert: boolean;
  offset: number;
  range: [number, number] | null;
  standing: boolean;
  smooth: "lowpass" | "median" | null;
  smoothBy: number;
  copy: number | null;
  as: number | null;
}
/** `shared`: channels of the first one's unit lie on one scale. */
export interface Lane {
  height: number | null;
  channels: LaneChannel[];
  shared: boolean;
}
export interface Comparison {
  capture: number;
  shift: number;
  stretch: number;
}
export interface Arrangement {
  lanes: Lane[];
  compare: Comparison | null;
}
export interface Figure {
  name: string;
  value: string;
  unit: string;
}
export interface Caliper {
  id: number;
  name: string;
  channel: number;
  from: number;
  to: number;
  label: string;
  figures: Figure[];
}
export interface Pin {
  id: number;
  at: number;
  remark: string;
}
export interface LaneMark {
  from: number;
  to: number;
  label: string;
  odd: boolean;
}
export interface OtherCapture {
  id: number;
  name: string;
  job: string;
  good: boolean;
  alike: boolean;
  channels: { id: number; name: string; unit: string }[];
}
export interface BenchScene {
  id: number;
  from: number;
  to: number;
  channels: ChannelInfo[];
  arrangement: Arrangement;
  marks: LaneMark[];
  used: { from: number; to: number } | null;
  calipers: Caliper[];
  pins: Pin[];
  others: OtherCapture[];
}
/** The crank's passing of each mark; `first` is the degrees of the first. */
export interface Clock {
  first: number;
  every: number;
  seconds: number[];
  known: boolean;
  firing: { cylinder: number; degrees: number; seat?: string | null }[];
  said: string;
  notes: string[];
  valves: { evo: number; evc: number; ivo: number; ivc: number } | null;
  odd: number[];
  speed: { channel: string; teeth: number } | null;
}
/** A channel on one cycle, a value a degree, null where there is none; see BenchCycles.cs. */
export interface Fold {
  channel: number;
  cycles: number;
  mean: (number | null)[];
  spread: (number | null)[];
  singles: (number | null)[][];
  odd: { seconds: number; values: (number | null)[] }[];
}
export interface LiveInfo {
  id: string;
  rate: number;
  held: number;
  channels: { name: string; unit: string; range: number }[];
}
export interface LiveFrame {
  now: number;
  first: number;
  columns: string;
  firedAt: number | null;
  running: boolean;
  error: string | null;
}
export interface Keep {
  id: number;
  name: string;
  isOver: boolean;
  captureId: number | null;
  error: string | null;
}
