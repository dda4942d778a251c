import type { Rolldown } from 'vite'
import { resolvedModule } from '../bundle/session.js'
import { pageBlockId, pageBlockIn, withPageBlock } from '../report/page.js'

/** A page of a bundle, and the variables whose values its code has, or takes when the page is handed out. */
export interface Carrying {
  readonly page: Rolldown.OutputAsset
  readonly names: readonly string[]
}

/** Each page of a bundle with what it carries. */
export function carryingPages(bundle: Rolldown.OutputBundle): readonly Carrying[] {
  return Object.values(bundle).flatMap((page) => {
    if (page.type !== 'asset' || !page.fileName.endsWith('.html')) return []
    const open = Object.values(bundle).filter(
      (each) => each.type === 'chunk' && each.isEntry && asPath(each.facadeModuleId).endsWith(`/${page.fileName}`),
    )
    const seen = new Set<Rolldown.OutputAsset | Rolldown.OutputChunk>(open)
    const names = new Set<string>()
    // A set visits what is added to it on the way.
    for (const chunk of seen) {
      if (chunk.type !== 'chunk') continue
      for (const name of chunk.modules[resolvedModule]?.renderedExports ?? []) names.add(name)
      for (const file of [...chunk.imports, ...chunk.dynamicImports]) if (bundle[file]) seen.add(bundle[file])
    }
    return [{ page, names: [...names] }]
  })
}

function asPath(id: string | null): string {
  return (id ?? '').replaceAll('\\', '/')
}

/** Puts an empty block into each page that takes values when it is handed out; says what each page carries. */
export function sayCarried(
  pages: readonly Carrying[],
  atStart: readonly string[],
  folder: string,
  stage: string,
): readonly string[] {
  return pages.flatMap(({ page, names }) => {
    const waiting = names.filter((name) => atStart.includes(name))
    const built = names.filter((name) => !atStart.includes(name))
    if (waiting.length > 0) {
      const html = textOf(page.source)
      if (!pageBlockIn(html))
        page.source = withPageBlock(
          html,
          `<script type="application/json" id="${pageBlockId}" data-built="${stage}"></script>`,
        )
    }
    const file = `${folder}/${page.fileName}`
    const parts = [
      ...(built.length > 0 ? [`carries ${built.sort().join(', ')}`] : []),
      ...(waiting.length > 0
        ? [
            `waits for ${waiting.sort().join(', ')}. Put ${waiting.length === 1 ? 'its value' : 'their values'} in: mappa stamp ${file} --stage ${stage} --in-place`,
          ]
        : []),
    ]
    return parts.length > 0 ? [`${file} ${parts.join(', and ')}`] : []
  })
}

function textOf(source: string | Uint8Array): string {
  return typeof source === 'string' ? source : new TextDecoder().decode(source)
}
