/** What of cliui is used here; the package has no types of its own. */
declare module 'cliui' {
  interface Column {
    readonly text: string
    readonly width?: number
    /** Top, right, bottom, left. */
    readonly padding?: readonly [number, number, number, number]
  }
  export default function cliui(options: { readonly width: number; readonly wrap?: boolean }): {
    div(...columns: readonly Column[]): void
    toString(): string
  }
}
