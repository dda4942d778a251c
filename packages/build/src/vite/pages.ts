import { withEmptyBlock } from 'mappa/plugin'
import type { Rolldown } from 'vite'
import { resolvedModule, type Session } from '../bundle/session.js'
import { carriedText } from './carried.js'

/**
 * Puts an empty block into each page of a bundle that takes values when it is served; gives a sentence for each page of
 * what it carries. `folder` is where the bundle is written.
 */
export function finishPages(bundle: Rolldown.OutputBundle, session: Session, folder: string): readonly string[] {
  const { atStart } = session
  const stage = session.project.survey.stage.name
  return Object.values(bundle).flatMap((page) => {
    if (page.type !== 'asset' || !page.fileName.endsWith('.html')) return []
    const names = carriedBy(page.fileName, bundle)
    if (names.some((name) => atStart.includes(name))) {
      const { source } = page
      page.source = withEmptyBlock(typeof source === 'string' ? source : new TextDecoder().decode(source), stage)
    }
    return carriedText(`${folder}/${page.fileName}`, names, atStart, stage) ?? []
  })
}

/** The variables whose values the code of a page has, or takes. */
function carriedBy(page: string, bundle: Rolldown.OutputBundle): readonly string[] {
  const seen = new Set(
    Object.values(bundle).filter(
      (each) => each.type === 'chunk' && (each.facadeModuleId ?? '').replaceAll('\\', '/').endsWith(`/${page}`),
    ),
  )
  const names = new Set<string>()
  // A set visits what is added to it on the way.
  for (const chunk of seen) {
    if (chunk.type !== 'chunk') continue
    for (const name of chunk.modules[resolvedModule]?.renderedExports ?? []) names.add(name)
    for (const file of [...chunk.imports, ...chunk.dynamicImports]) if (bundle[file]) seen.add(bundle[file])
  }
  return [...names]
}
