const levels = ['debug', 'info', 'warn', 'error'] as const
export type Level = (typeof levels)[number]
export type Log = Readonly<Record<Level, (message: string, details?: object) => void>>

/** One JSON line for each message of `least` importance or more. */
export function createLog(least: Level, write: (line: string) => void): Log {
  const logAt =
    (level: Level) =>
    (message: string, details: object = {}) => {
      if (levels.indexOf(level) < levels.indexOf(least)) return
      write(`${JSON.stringify({ time: new Date().toISOString(), level, message, ...details })}\n`)
    }
  return { debug: logAt('debug'), info: logAt('info'), warn: logAt('warn'), error: logAt('error') }
}
