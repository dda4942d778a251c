/** The used part of a package that declares no types. */
declare module 'npm-packlist' {
  export default function packlist(tree: {
    readonly path: string
    readonly package: object
    readonly isProjectRoot: boolean
    readonly edgesOut: ReadonlyMap<string, unknown>
  }): Promise<string[]>
}
