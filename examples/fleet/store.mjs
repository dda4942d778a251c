// The fleet's store, etcd, on this machine alone, and what a person does with it.
import { spawn } from 'node:child_process'
import { existsSync, mkdtempSync, rmSync } from 'node:fs'
import { createServer } from 'node:net'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { setTimeout as wait } from 'node:timers/promises'

/** Whether it can be started here; Debian has it as etcd-server. */
export const hasStore = ['/usr/bin/etcd', '/usr/local/bin/etcd'].some((path) => existsSync(path))

/** Starts a store that holds nothing; resolves once it answers. */
export async function startStore() {
  const folder = mkdtempSync(join(tmpdir(), 'fleet-'))
  const [port, peers] = await freePorts(2)
  const url = `http://127.0.0.1:${port}`
  let child
  const post = async (path, body) => {
    const answer = await fetch(`${url}/v3/${path}`, { method: 'POST', body: JSON.stringify(body) })
    if (!answer.ok) throw new Error(`the store answers ${path} with status ${answer.status}`)
    return answer.json()
  }
  const store = {
    url,
    post,
    put: (key, value) => post('kv/put', { key: base64(key), value: base64(value) }),
    remove: (key) => post('kv/deleterange', { key: base64(key) }),
    async compact() {
      const { header } = await post('kv/range', { key: base64('x') })
      return post('kv/compaction', { revision: header.revision })
    },
    async start() {
      const peer = `http://127.0.0.1:${peers}`
      const args = [`--data-dir=${folder}`, `--listen-client-urls=${url}`, `--advertise-client-urls=${url}`]
      const alone = [
        `--listen-peer-urls=${peer}`,
        `--initial-advertise-peer-urls=${peer}`,
        `--initial-cluster=default=${peer}`,
      ]
      child = spawn('etcd', [...args, ...alone, '--log-level=error'], { stdio: 'ignore' })
      for (let tries = 0; ; tries++) {
        try {
          await post('kv/range', { key: base64('x') })
          return
        } catch (error) {
          if (tries > 600) throw error
          await wait(50)
        }
      }
    },
    /** As a machine that loses its power. */
    async kill() {
      const ended = new Promise((resolve) => child.once('exit', resolve))
      child.kill('SIGKILL')
      await ended
    },
    signal: (name) => child.kill(name),
    async end() {
      await store.kill()
      rmSync(folder, { recursive: true, force: true })
    },
  }
  await store.start()
  return store
}

const base64 = (text) => Buffer.from(text).toString('base64')

async function freePorts(count) {
  const servers = await Promise.all(
    Array.from(
      { length: count },
      () =>
        new Promise((resolve) => {
          const server = createServer().listen(0, '127.0.0.1', () => resolve(server))
        }),
    ),
  )
  const ports = servers.map((server) => server.address().port)
  await Promise.all(servers.map((server) => new Promise((resolve) => server.close(resolve))))
  return ports
}
