import { parentPort } from 'node:worker_threads'
import { type Batch, factsIn } from './threads.js'

parentPort?.on('message', (batch: Batch) => parentPort?.postMessage(factsIn(batch)))
