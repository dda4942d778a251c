import type { Variable } from 'mappa'
import { aboutOf, aloneTitle, type Fact, factsOf, type Group, type Guide, marksOf, summaryOf } from './guide.js'
import { script, style } from './page.js'

/**
 * The guide as one page that needs nothing else: search, light and dark, printable. Without scripts everything is shown.
 * The page's own ids have a hyphen, which no name of a variable has.
 */
export function guideHtml(guide: Guide): string {
  const title = `${guide.title}${guide.stage === undefined ? '' : `, stage ${guide.stage}`}`
  const anchors = guide.groups.map(({ name }, at) => `group-${name === undefined ? 'alone' : at}`)
  return `<!doctype html>
<html lang="en">
<head>
<meta charset="utf-8">
<meta name="viewport" content="width=device-width, initial-scale=1">
<meta name="color-scheme" content="light dark">
<meta http-equiv="Content-Security-Policy" content="default-src 'none'; style-src 'unsafe-inline'; script-src 'unsafe-inline'">
<title>${escapedHtml(title)}</title>
<style>${style}</style>
</head>
<body>
<header>
<h1>${escapedHtml(title)}</h1>
<p>${escapedHtml(summaryOf(guide))}</p>
<div class="tools">
<label for="page-search">Search</label>
<input id="page-search" type="search" placeholder="name, meaning, type, stage" autocomplete="off" spellcheck="false">
<button id="page-look" type="button" hidden>Dark</button>
<output id="page-count" for="page-search"></output>
</div>
</header>
<div class="columns">
<nav aria-label="Groups">
<ul>
${guide.groups.map((group, at) => `<li><a href="#${anchors[at]}">${escapedHtml(group.name ?? aloneTitle)}</a> <span>${group.variables.length}</span></li>`).join('\n')}
</ul>
</nav>
<main>
${guide.groups.map((group, at) => groupHtml(group, anchors[at] as string)).join('\n')}
<p id="page-none" hidden>No variable matches. <button id="page-clear" type="button">Show all</button></p>
</main>
</div>
<footer>Written by mappa guide from the legend. It contains no values.</footer>
<script>${script}</script>
</body>
</html>
`
}

function groupHtml({ name, variables }: Group, anchor: string): string {
  return `<section id="${anchor}">
<h2>${escapedHtml(name ?? aloneTitle)}</h2>
${variables.map(variableHtml).join('\n')}
</section>`
}

function variableHtml(variable: Variable): string {
  const marks = marksOf(variable).map((mark) => ` <span class="mark ${mark}">${mark}</span>`)
  const about = aboutOf(variable)
  return `<article id="${variable.name}">
<h3><a href="#${variable.name}"><code>${breakable(variable.name)}</code></a>${marks.join('')}</h3>
${about === '' ? '' : `<p>${escapedHtml(about)}</p>\n`}<dl>
${factsOf(variable)
  .map((fact) => `<div><dt>${escapedHtml(fact.label)}</dt><dd>${factHtml(fact)}</dd></div>`)
  .join('\n')}
</dl>
</article>`
}

function factHtml({ text, as }: Fact): string {
  if (as === 'link') return `<a href="${escapedHtml(text)}" rel="noreferrer">${escapedHtml(text)}</a>`
  return as === 'code' ? `<code>${escapedHtml(text)}</code>` : escapedHtml(text)
}

/** Long names may break at their underscores. */
function breakable(name: string): string {
  return escapedHtml(name).replaceAll('_', '_<wbr>')
}

function escapedHtml(text: string): string {
  const entities: Readonly<Record<string, string>> = {
    '&': '&amp;',
    '<': '&lt;',
    '>': '&gt;',
    '"': '&quot;',
    "'": '&#39;',
  }
  return text.replace(/[&<>"']/g, (char) => entities[char] as string)
}
