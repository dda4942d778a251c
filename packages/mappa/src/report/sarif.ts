import type { Fault, Notice } from '../settle/faults/faults.js'
import { mustBeReported, type Reported } from './report-text.js'

/** A log as SARIF 2.1.0 (OASIS Standard, 2020) has it, with one run. */
export interface SarifLog {
  readonly $schema: string
  readonly version: '2.1.0'
  readonly runs: readonly [SarifRun]
}

interface SarifRun {
  readonly tool: { readonly driver: { readonly name: string; readonly rules: readonly { readonly id: string }[] } }
  /** Columns are counted as in our places. */
  readonly columnKind: 'utf16CodeUnits'
  readonly originalUriBaseIds: {
    readonly ROOT: { readonly uri?: string; readonly description: { readonly text: string } }
  }
  readonly results: readonly SarifResult[]
  readonly properties: { readonly stage: string }
}

interface SarifResult {
  readonly ruleId: string
  readonly ruleIndex: number
  readonly level: 'error' | 'warning'
  readonly message: { readonly text: string }
  readonly locations?: readonly [
    {
      readonly physicalLocation: {
        readonly artifactLocation: { readonly uri: string; readonly uriBaseId: 'ROOT' }
        readonly region: { readonly startLine: number; readonly startColumn: number; readonly endColumn: number }
      }
    },
  ]
}

/** Options of {@link reportSarif}. */
export interface SarifOptions {
  /** The root as a URI that ends in a slash, so that places open wherever the log is read. */
  readonly root?: string
}

/** A report as SARIF 2.1.0, for what shows the results of checks beside the code. Holds no secret. */
export function reportSarif(reported: Reported, { root }: SarifOptions = {}): SarifLog {
  mustBeReported(reported, 'reportSarif')
  const { stage, faults, notices } = reported
  const all = [...faults.map(resultOf('error')), ...notices.map(resultOf('warning'))]
  const kinds = [...new Set(all.map(({ ruleId }) => ruleId))].sort()
  return {
    $schema: 'https://docs.oasis-open.org/sarif/sarif/v2.1.0/errata01/os/schemas/sarif-schema-2.1.0.json',
    version: '2.1.0',
    runs: [
      {
        tool: { driver: { name: 'mappa', rules: kinds.map((id) => ({ id })) } },
        columnKind: 'utf16CodeUnits',
        originalUriBaseIds: {
          ROOT: {
            ...(root !== undefined && { uri: root }),
            description: { text: 'The directory of the legend and the layer files.' },
          },
        },
        results: all.map((result) => ({ ...result, ruleIndex: kinds.indexOf(result.ruleId) })),
        properties: { stage: stage.name },
      },
    ],
  }
}

function resultOf(level: 'error' | 'warning') {
  return ({ kind, message, remedy, place }: Fault | Notice): Omit<SarifResult, 'ruleIndex'> => ({
    ruleId: kind,
    level,
    message: { text: remedy === undefined ? message : `${message} ${remedy}` },
    ...(place && {
      locations: [
        {
          physicalLocation: {
            // A file's name may hold what a URI may not.
            artifactLocation: { uri: place.file.split('/').map(encodeURIComponent).join('/'), uriBaseId: 'ROOT' },
            region: { startLine: place.line, startColumn: place.column, endColumn: place.endColumn },
          },
        },
      ] as const,
    }),
  })
}
