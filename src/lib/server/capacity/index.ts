export { powerActionsOf, startTimeOf, timesIn, waitsFor } from './day';
export { demandBacktest, demandCurve, demandForecast, homeZone } from './demand';
export { keptCounts, STEP } from './kept-counts';
export { steps } from './steps-sql';
export { bootServerById, bootServersOf, overlayFor } from './overlays';
export { manifest } from './manifest';
