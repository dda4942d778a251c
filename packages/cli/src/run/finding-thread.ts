import { parentPort } from 'node:worker_threads'
import { type Batch, factsIn } from './finding.js'

parentPort?.on('message', (batch: Batch) => parentPort?.postMessage(factsIn(batch)))
