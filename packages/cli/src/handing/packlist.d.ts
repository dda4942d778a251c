/** What of the package that lists a package's files is used here; it declares no types itself. */
declare module 'npm-packlist' {
  export default function packlist(tree: {
    readonly path: string
    readonly package: object
    readonly isProjectRoot: boolean
    readonly edgesOut: ReadonlyMap<string, unknown>
  }): Promise<string[]>
}
