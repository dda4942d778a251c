/** Facts about a builder that a plugin supports. */
interface BuilderFacts {
  /** The packages of the builders that take the plugin: optional peers of this package. */
  readonly peers: readonly string[]
}

/** The plugins, each an entry point of this package: the one record of them. */
export const builders = {
  vite: { peers: ['vite'] },
  rollup: { peers: ['rollup', 'rolldown'] },
  esbuild: { peers: ['esbuild'] },
  webpack: { peers: ['webpack', '@rspack/core'] },
} as const satisfies Readonly<Record<string, BuilderFacts>>

export type BuilderName = keyof typeof builders
