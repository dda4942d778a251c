import { widest } from '../../terminal/widest.js'
import { aboutOf, aloneTitle, type Fact, factsOf, type Guide, marksOf, summaryOf } from './guide.js'

/** The guide as Markdown (CommonMark with tables), for a repository or a wiki. */
export function guideMarkdown(guide: Guide): string {
  const blocks = [
    `# ${plain(guide.title)}${guide.stage === undefined ? '' : `, stage ${guide.stage}`}`,
    `${summaryOf(guide)}. Written by \`mappa guide --as markdown\`.`,
    ...guide.groups.flatMap(({ name, variables }) => [
      `## ${name === undefined ? aloneTitle : plain(name)}`,
      ...variables.flatMap((variable) => [
        `### \`${variable.name}\``,
        `*${marksOf(variable).join(', ')}*`,
        ...(aboutOf(variable) === '' ? [] : [plain(aboutOf(variable))]),
        ['| | |', '| --- | --- |', ...factsOf(variable).map((fact) => `| ${fact.label} | ${cell(fact)} |`)].join('\n'),
      ]),
    ]),
  ]
  return `${blocks.join('\n\n')}\n`
}

function cell({ text, as }: Fact): string {
  if (as === 'link') return `<${text.replaceAll('|', '%7C').replaceAll('<', '%3C').replaceAll('>', '%3E')}>`
  if (as === 'code') return codeSpan(text).replaceAll('|', '\\|')
  return plain(text)
}

/** In as many backticks as keep those of the text apart. */
function codeSpan(text: string): string {
  const longest = widest(text.match(/`+/g) ?? [])
  const fence = '`'.repeat(longest + 1)
  return longest > 0 ? `${fence} ${text} ${fence}` : `${fence}${text}${fence}`
}

/** Text that Markdown takes for nothing else. */
function plain(text: string): string {
  return text.replace(/[\\`*_{}[\]<>#|~^]/g, '\\$&')
}
