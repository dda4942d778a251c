#!/usr/bin/env node
const args = process.argv.slice(2)
// Windows finds programs otherwise, which the whole program knows.
const isQuick = args[0] === 'with' && process.platform !== 'win32'
const code = isQuick ? await (await import('../dist/with.js')).quickWith(args) : undefined
if (code === undefined) await (await import('../dist/program.js')).run(args)
else process.exitCode = code
