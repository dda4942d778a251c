#!/usr/bin/env node
import { run } from '../dist/program.js'

await run(process.argv.slice(2))
