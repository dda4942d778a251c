import type { Remote } from '../../legend/legend.js'
import type { RemoteSource } from './asking.js'
import { fetchText, jsonAnswer, textsOf } from './remote.js'

/** A declared source with its address and token. */
export interface RemoteAccess {
  readonly remote: Remote
  readonly url: string
  readonly token: string | undefined
  readonly stage: string
}

/** The word of a remote that says its kind; one without any is a service. */
type KindWord = Exclude<keyof Remote, 'name' | 'url' | 'token'>

/** The kinds of sources that a legend can declare, and how each is asked: the one record of them. */
export const remoteKinds: Readonly<Record<KindWord | 'service', (access: RemoteAccess) => Promise<RemoteSource>>> = {
  service: async ({ remote: { name }, url, token }) => ({
    name,
    load: async ({ signal }) => {
      const { text, isJson } = await fetchText(url, token, signal)
      return isJson ? jsonAnswer(text) : textsOf(text)
    },
  }),
  etcd: async ({ remote: { name, etcd = '' }, url, token, stage }) => {
    // Loaded where it is used: few legends name a store.
    const { etcdSource } = await import('./etcd.js')
    const [, user, password] = /^([^:]+):([\s\S]+)$/.exec(token ?? '') ?? []
    return etcdSource({ name, url, prefix: `${etcd}${stage}/`, ...(user !== undefined && { user, password }) })
  },
}

/** The source that a legend declares. */
export function remoteSource(
  remote: Remote,
  url: string,
  token: string | undefined,
  stage: string,
): Promise<RemoteSource> {
  const words = Object.keys(remoteKinds) as (keyof typeof remoteKinds)[]
  const kind = words.find((word) => word !== 'service' && remote[word] !== undefined) ?? 'service'
  return remoteKinds[kind]({ remote, url, token, stage })
}
