import puppeteer, { type Browser } from 'puppeteer-core'

/** Debian's Chromium without a window. @param profile folder of its own, to be removed afterwards */
export function launchBrowser(profile: string): Promise<Browser> {
  return puppeteer.launch({
    executablePath: process.env['TEST_CHROMIUM'] ?? '/usr/bin/chromium',
    headless: true,
    userDataDir: profile,
    args: [
      '--no-sandbox',
      '--disable-gpu',
      '--no-first-run',
      '--disable-background-networking',
      '--disable-component-update',
      '--disable-sync',
    ],
  })
}
