// The fleet's store, etcd, on only this machine, and what a person does with it.
import { spawn } from 'node:child_process'
import { existsSync, mkdtempSync, rmSync } from 'node:fs'
import { createServer } from 'node:net'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { setTimeout as wait } from 'node:timers/promises'

/** Whether it can be started here; Debian has it as etcd-server. */
export const hasStore = ['/usr/bin/etcd', '/usr/local/bin/etcd'].some((path) => existsSync(path))

/** Starts a store of so many members that holds nothing; resolves once it answers. */
export async function startStore(count = 1) {
  const folder = mkdtempSync(join(tmpdir(), 'fleet-'))
  const ports = await freePorts(count * 2)
  const members = Array.from({ length: count }, (_, at) => ({
    name: `m${at}`,
    url: `http://127.0.0.1:${ports[at]}`,
    peer: `http://127.0.0.1:${ports[count + at]}`,
    child: undefined,
  }))
  const running = () => members.find(({ child }) => child) ?? members[0]
  const post = async (path, body, { url } = running()) => {
    const answer = await fetch(`${url}/v3/${path}`, { method: 'POST', body: JSON.stringify(body) })
    if (!answer.ok) throw new Error(`the store answers ${path} with status ${answer.status}`)
    return answer.json()
  }
  /** Until a member that was started, or a new leader, takes what it is given. */
  const patiently = async (ask) => {
    for (let tries = 0; ; tries++) {
      try {
        return await ask()
      } catch (error) {
        if (tries > 600) throw error
        await wait(50)
      }
    }
  }
  const store = {
    url: members.map(({ url }) => url).join(','),
    post,
    put: (key, value) => patiently(() => post('kv/put', { key: base64(key), value: base64(value) })),
    remove: (key) => post('kv/deleterange', { key: base64(key) }),
    async compact() {
      const { header } = await post('kv/range', { key: base64('x') })
      return post('kv/compaction', { revision: header.revision })
    },
    async start() {
      for (const member of members.filter(({ child }) => !child)) member.child = started(member, members, folder)
      await patiently(() => post('kv/range', { key: base64('x') }))
    },
    /** As a machine that loses its power. */
    async kill(some = members) {
      const ended = some.flatMap((member) => {
        const { child } = member
        member.child = undefined
        return child ? [new Promise((resolve) => child.once('exit', resolve) && child.kill('SIGKILL'))] : []
      })
      await Promise.all(ended)
    },
    /** Kills the member that leads the others; resolves once they have another leader. */
    async killLeader() {
      for (const member of members) {
        const { header, leader } = await post('maintenance/status', {}, member)
        if (header.member_id !== leader) continue
        await store.kill([member])
        await patiently(() => store.put('leader/new', '1'))
        return
      }
    },
    signal(name) {
      for (const { child } of members) child?.kill(name)
    },
    async end() {
      await store.kill()
      rmSync(folder, { recursive: true, force: true })
    },
  }
  await store.start()
  return store
}

function started({ name, url, peer }, members, folder) {
  const cluster = members.map((each) => `${each.name}=${each.peer}`).join(',')
  const own = [`--name=${name}`, `--data-dir=${join(folder, name)}`, '--log-level=error']
  const clients = [`--listen-client-urls=${url}`, `--advertise-client-urls=${url}`]
  const peers = [`--listen-peer-urls=${peer}`, `--initial-advertise-peer-urls=${peer}`, `--initial-cluster=${cluster}`]
  return spawn('etcd', [...own, ...clients, ...peers], { stdio: 'ignore' })
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
