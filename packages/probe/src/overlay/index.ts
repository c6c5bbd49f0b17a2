export { FrameMeter, type MeterFigures } from './meter.ts'
export { createOverlay, type Overlay, type OverlayOptions } from './overlay.ts'
