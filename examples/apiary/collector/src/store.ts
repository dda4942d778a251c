import { mkdirSync } from 'node:fs'
import { dirname } from 'node:path'
import sqlite from 'node-sqlite3-wasm'

/** One message of a hive scale. Weight in kilograms, temperature in degrees Celsius, time in milliseconds since 1970. */
export interface Reading {
  readonly hive: string
  readonly weight: number
  readonly temperature: number
  readonly time: number
}

/** A hive with its latest reading; metres east and north of the farmhouse. */
export interface Hive extends Reading {
  readonly east: number
  readonly north: number
}

export interface Store {
  /** Notes where a hive stands. */
  place(hive: string, east: number, north: number): void
  /** Keeps a reading and gives back the one before it from the same hive. */
  add(reading: Reading): Reading | undefined
  /** A hive's readings, the oldest first. */
  readings(hive: string): Reading[]
  /** The latest reading of each hive, and where it stands; the farmhouse unless it was said. */
  latest(): Hive[]
  close(): void
}

/** Readings in a SQLite file, at most `kept` for each hive. */
export function openStore(file: string, kept: number): Store {
  mkdirSync(dirname(file), { recursive: true })
  const database = new sqlite.Database(file)
  database.exec(`
    CREATE TABLE IF NOT EXISTS reading (hive TEXT NOT NULL, weight REAL NOT NULL, temperature REAL NOT NULL, time INTEGER NOT NULL);
    CREATE TABLE IF NOT EXISTS hive (hive TEXT PRIMARY KEY, east REAL NOT NULL, north REAL NOT NULL);
    CREATE INDEX IF NOT EXISTS reading_by_hive ON reading (hive, time);
  `)
  const select = (rest: string, values: (string | number)[] = []) =>
    database.all(`SELECT hive, weight, temperature, time FROM reading ${rest}`, values) as unknown as Reading[]
  return {
    place(hive, east, north) {
      database.run('INSERT OR REPLACE INTO hive (hive, east, north) VALUES (?, ?, ?)', [hive, east, north])
    },
    add({ hive, weight, temperature, time }) {
      const [before] = select('WHERE hive = ? ORDER BY time DESC, rowid DESC LIMIT 1', [hive])
      database.run('INSERT INTO reading (hive, weight, temperature, time) VALUES (?, ?, ?, ?)', [
        hive,
        weight,
        temperature,
        time,
      ])
      database.run(
        'DELETE FROM reading WHERE hive = ? AND rowid NOT IN (SELECT rowid FROM reading WHERE hive = ? ORDER BY time DESC, rowid DESC LIMIT ?)',
        [hive, hive, kept],
      )
      return before
    },
    readings: (hive) => select('WHERE hive = ? ORDER BY time, rowid', [hive]),
    latest: () =>
      database.all(
        `SELECT hive, weight, temperature, time, coalesce(east, 0) AS east, coalesce(north, 0) AS north
         FROM reading LEFT JOIN hive USING (hive)
         WHERE reading.rowid IN (SELECT max(rowid) FROM reading GROUP BY hive) ORDER BY hive`,
      ) as unknown as Hive[],
    close: () => database.close(),
  }
}
