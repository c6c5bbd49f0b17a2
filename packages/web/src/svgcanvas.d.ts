declare module 'svgcanvas' {
  interface Options {
    width: number
    height: number
  }
  /** A 2D context that writes SVG. */
  export class Context extends CanvasRenderingContext2D {
    constructor(options: Options)
    getSerializedSvg(fixNamedEntities?: boolean): string
  }
  /** What a chart takes for a canvas. */
  export class Element {
    constructor(options: Options)
    readonly ctx: Context
  }
}
