/** Style of the page: cards beside the groups, and the system's colours unless the reader chooses. */
export const style = `
:root {
  color-scheme: light dark;
  --paper: light-dark(#fbfaf7, #191815);
  --card: light-dark(#ffffff, #23211d);
  --ink: light-dark(#24221e, #ece8df);
  --soft: light-dark(#6a645a, #a8a196);
  --line: light-dark(#e3ded4, #3a372f);
  --honey: light-dark(#8a5a00, #f0b94a);
  --alarm: light-dark(#a3291f, #ff9b8e);
  --sky: light-dark(#1d5f86, #86c5ea);
}
:root[data-look=light] { color-scheme: light }
:root[data-look=dark] { color-scheme: dark }
* { box-sizing: border-box }
html { scroll-padding-top: 1rem }
body { margin: 0 auto; max-width: 68rem; padding: 2rem 1.5rem 3rem; background: var(--paper); color: var(--ink);
  font: 1rem/1.5 system-ui, sans-serif }
h1 { margin: 0; font-size: 1.75rem; line-height: 1.2 }
h2 { margin: 2rem 0 .75rem; font-size: 1.15rem; color: var(--soft) }
h3 { margin: 0; font-size: 1rem; line-height: 1.6 }
header p { margin: .25rem 0 1rem; color: var(--soft) }
a { color: inherit; text-decoration-color: var(--soft); text-underline-offset: .2em }
h3 a { text-decoration: none }
h3 code { font-size: 1rem; font-weight: 700 }
h3 .mark { font-weight: 400 }
code { font: .92em/1.5 ui-monospace, 'DejaVu Sans Mono', monospace; overflow-wrap: anywhere }
.tools { display: flex; flex-wrap: wrap; gap: .75rem; align-items: center }
.tools label { color: var(--soft) }
input { flex: 1 1 9rem; min-width: 0; max-width: 26rem; padding: .5rem .75rem; font: inherit; color: inherit; background: var(--card);
  border: 1px solid var(--soft); border-radius: .4rem }
button { padding: .5rem .75rem; font: inherit; color: inherit; background: var(--card); border: 1px solid var(--soft);
  border-radius: .4rem; cursor: pointer }
:focus-visible { outline: 2px solid var(--honey); outline-offset: 2px }
output { color: var(--soft) }
.columns { display: grid; grid-template-columns: 11rem minmax(0, 1fr); gap: 2rem; align-items: start }
nav { position: sticky; top: 1rem; padding-top: 2rem }
nav ul { margin: 0; padding: 0; list-style: none }
nav li { display: flex; justify-content: space-between; gap: 1rem; padding: .2rem 0; border-bottom: 1px solid var(--line) }
nav span { color: var(--soft) }
nav a { text-decoration: none; overflow-wrap: anywhere }
article { margin: 0 0 .75rem; padding: .9rem 1.1rem 1rem; background: var(--card); border: 1px solid var(--line); border-radius: .5rem }
article:target { border-color: var(--honey) }
article p { margin: .1rem 0 .6rem }
dl { margin: 0; display: grid; gap: .15rem }
dl div { display: grid; grid-template-columns: 7.5rem minmax(0, 1fr); gap: 1rem }
dt { color: var(--soft) }
dd { margin: 0; overflow-wrap: anywhere }
.mark { margin-left: .35rem; padding: 0 .45rem; font-size: .8rem; border: 1px solid currentcolor; border-radius: 1rem; color: var(--soft) }
.mark:first-of-type { border-color: transparent; padding: 0; margin-left: .6rem }
.mark.required { color: var(--honey) }
.mark.secret { color: var(--alarm) }
.mark.browser { color: var(--sky) }
footer { margin-top: 2rem; color: var(--soft); font-size: .9rem }
[hidden] { display: none !important }
@media (max-width: 44rem) {
  body { padding: 1.25rem 1rem }
  .columns { display: block }
  nav { position: static; padding-top: 1rem }
  nav ul { display: flex; flex-wrap: wrap; gap: 0 1rem }
  nav li { border: 0; gap: .35rem }
  dl div { grid-template-columns: 6rem minmax(0, 1fr); gap: .75rem }
}
@media print {
  :root, :root[data-look] { color-scheme: light }
  body { max-width: none; padding: 0; background: none; font-size: 10pt }
  nav, .tools { display: none }
  .columns { display: block }
  article { break-inside: avoid; border-color: #bbb }
  h2 { break-after: avoid }
}
`

/** Search by words in any order, and the choice of light or dark, which is kept for this page where the browser allows it. */
export const script = `
const all = [...document.querySelectorAll('article')].map((article) => ({ article, text: article.textContent.toLowerCase() + ' ' + article.closest('section').querySelector('h2').textContent.toLowerCase() }))
const [search, count, none, look] = ['search', 'count', 'none', 'look'].map((id) => document.getElementById('page-' + id))
function show() {
  const words = search.value.toLowerCase().split(/\\s+/).filter(Boolean)
  let shown = 0
  for (const { article, text } of all) {
    article.hidden = !words.every((word) => text.includes(word))
    if (!article.hidden) shown++
  }
  for (const section of document.querySelectorAll('section')) {
    section.hidden = !section.querySelector('article:not([hidden])')
    document.querySelector('nav a[href="#' + section.id + '"]').closest('li').hidden = section.hidden
  }
  none.hidden = shown > 0
  count.textContent = words.length > 0 ? shown + ' of ' + all.length : ''
}
search.addEventListener('input', show)
document.getElementById('page-clear').addEventListener('click', () => { search.value = ''; show(); search.focus() })
addEventListener('keydown', (event) => {
  if (event.key === '/' && document.activeElement !== search) { event.preventDefault(); search.focus() }
  if (event.key === 'Escape' && document.activeElement === search) { search.value = ''; show() }
})
// A link to a variable must find it, whatever is being searched for.
addEventListener('hashchange', () => { if (document.querySelector(':target')?.closest('[hidden]')) { search.value = ''; show(); document.querySelector(':target').scrollIntoView() } })
addEventListener('beforeprint', () => { for (const each of document.querySelectorAll('main [hidden]')) if (each !== none) each.hidden = false })
addEventListener('afterprint', show)
const root = document.documentElement
const isDark = () => getComputedStyle(root).colorScheme === 'dark' || (root.dataset.look === undefined && matchMedia('(prefers-color-scheme: dark)').matches)
function wear(choice) {
  if (choice) root.dataset.look = choice
  look.textContent = isDark() ? 'Light' : 'Dark'
}
look.addEventListener('click', () => {
  wear(isDark() ? 'light' : 'dark')
  try { localStorage.setItem('mappa-look', root.dataset.look) } catch {}
})
matchMedia('(prefers-color-scheme: dark)').addEventListener('change', () => wear())
let kept = null
try { kept = localStorage.getItem('mappa-look') } catch {}
wear(kept === 'light' || kept === 'dark' ? kept : undefined)
look.hidden = false
show()
`
