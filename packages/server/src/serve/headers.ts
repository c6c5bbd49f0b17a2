/** Headers of every answer, refusals included. */
import type { Context, Next } from 'koa'

/** Only what the pages use: no address but their own, no inline script. Styles are set on elements by scripts. */
const contentPolicy = (workers: string) =>
  [
    "default-src 'none'",
    "script-src 'self'",
    "style-src 'self' 'unsafe-inline'",
    "img-src 'self' data: blob:",
    "font-src 'self'",
    "connect-src 'self'",
    `worker-src ${workers}`,
    "base-uri 'none'",
    "form-action 'self'",
    "frame-ancestors 'none'",
  ].join('; ')

/** The probe packs pictures in a thread whose script it has with it. */
export const GAME_CONTENT_POLICY = contentPolicy("'self' blob:")

export const SECURITY_HEADERS: Readonly<Record<string, string>> = {
  'Content-Security-Policy': contentPolicy("'self'"),
  'Cross-Origin-Opener-Policy': 'same-origin',
  'Cross-Origin-Resource-Policy': 'same-origin',
  'Referrer-Policy': 'no-referrer',
  'X-Content-Type-Options': 'nosniff',
  'X-Frame-Options': 'DENY',
  'X-DNS-Prefetch-Control': 'off',
  'X-Permitted-Cross-Domain-Policies': 'none',
}

export async function securityHeaders(context: Context, next: Next): Promise<void> {
  context.set({ ...SECURITY_HEADERS })
  await next()
}
