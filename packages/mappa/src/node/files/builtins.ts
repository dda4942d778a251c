/**
 * Node's own modules, asked for instead of imported: an import makes Node prepare every export of `node:fs` for
 * modules, its promises and streams among them, which alone would cost each start 5 %.
 */
export const fs = process.getBuiltinModule('node:fs')
export const path = process.getBuiltinModule('node:path')
export const { createRequire } = process.getBuiltinModule('node:module')
