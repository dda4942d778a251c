import { existsSync } from 'node:fs'
import { type Browser, type BrowserContextOptions, chromium, type Page } from 'playwright-core'
import { hangMax } from './helpers.js'

const executablePath = '/usr/bin/chromium'

/** Where there is not a Chromium tests of pages say so; in CI that is a failure. */
export const hasBrowser = existsSync(executablePath) || process.env.CI === 'true'
export const inBrowser = { skip: !hasBrowser && 'Chromium is not installed' }

export function launch(): Promise<Browser> {
  const args = ['--no-sandbox', '--disable-background-networking', '--disable-component-update', '--disable-sync']
  return chromium.launch({ executablePath, args, timeout: hangMax })
}

/** A new page that waits as long as a busy machine takes. */
export async function newPage(browser: Browser, options: BrowserContextOptions = {}): Promise<Page> {
  const page = await browser.newPage(options)
  page.setDefaultTimeout(hangMax)
  return page
}
