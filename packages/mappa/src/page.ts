/** Blocks of start-fixed values in pages, for servers that hand pages out. docs/library.md describes each name. */
export { builtStageOf, pageBlock, pageValues, stampPage } from './report/page.js'
