/** The Encoding standard, which every place that core runs in has (encoding.spec.whatwg.org). */
declare class TextEncoder {
  encode(text: string): Uint8Array
}
declare class TextDecoder {
  constructor(label?: string, options?: { ignoreBOM?: boolean })
  decode(bytes?: Uint8Array, options?: { stream?: boolean }): string
}
