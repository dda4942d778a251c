const connectionSchemes =
  /^(?:postgres(?:ql)?|mysql|mariadb|mongodb(?:\+srv)?|redis|rediss|amqps?|nats|kafka|mssql|sqlserver|smtps?|ldaps?|mqtts?|sftp|s3|memcached|cassandra|clickhouse|couchbase|neo4j|bolt):\/\//i

/** Finds where a database, a queue or the like is found. */
export function isConnection(text: string): boolean {
  // A scheme alone is the start of something.
  return connectionSchemes.test(text) && !/\s|:\/\/$/.test(text)
}

export interface Address {
  /** Scheme, host and port, as written. */
  readonly origin: string
  readonly scheme: string
  readonly host: string
  readonly port: number | undefined
  /** The path behind it, as written; may be empty. */
  readonly path: string
}

/** An address of the web, or the start of one that goes on elsewhere. */
export function webAddress(text: string): Address | undefined {
  const match =
    /^((https?|wss?):\/\/(?:[^\s/?#@]*@)?(\[[0-9a-f:.]+\]|[A-Za-z0-9.-]+)(?::([0-9]{1,5}))?)([/?#]\S*)?$/.exec(text)
  if (!match) return undefined
  const [, origin = '', scheme = '', host = '', port, path = ''] = match
  // A scheme check, or a word in a sentence.
  if (host === '' || host.startsWith('.') || host.endsWith('.')) return undefined
  return { origin, scheme, host, port: port === undefined ? undefined : Number(port), path }
}

/** `localhost:4100`, `10.0.0.7:5432`, `db.fennelhill.example:5432` */
export function isHostWithPort(text: string): boolean {
  return /^(?:localhost|(?:\d{1,3}\.){3}\d{1,3}|[a-z0-9-]+(?:\.[a-z0-9-]+)+):\d{2,5}$/i.test(text)
}

export function isHost(text: string): boolean {
  return /^(?:localhost|(?:\d{1,3}\.){3}\d{1,3}|[a-z0-9-]+(?:\.[a-z0-9-]+)+)$/i.test(text)
}

export function isMail(text: string): boolean {
  return /^(?:[^<>@\s]+(?: [^<>@\s]+)* <)?[^<>@\s]+@[a-z0-9-]+(?:\.[a-z0-9-]+)+>?$/i.test(text)
}

/** International form (E.164), with blanks or hyphens between. */
export function isPhone(text: string): boolean {
  return /^\+[1-9][0-9 ()-]{6,18}[0-9]$/.test(text)
}

/** An address whose host or path speaks of what programs ask: `api.feed.example`, `/v1/hives`, `/graphql`. */
export function looksAsked({ host, path }: Address): boolean {
  const word =
    /(?:^|[./-])(?:api|apis|gateway|rest|rpc|graphql|graph|webhooks?|hooks?|oauth2?|ws|socket|v[0-9]+)(?=$|[./?-])/i
  return (
    word.test(host) ||
    word.test(path) ||
    /^(?:localhost|[\d.]+|\[.*\]|[^.]+)$/.test(host) ||
    /\.(?:local|internal|lan)$/.test(host)
  )
}

/** Pages of a project's source on the services that host most of them. */
export function isRepository({ host, path }: Address): boolean {
  return (
    /^(?:www\.)?(?:github\.com|gitlab\.com|bitbucket\.org|npmjs\.com|npmjs\.org)$/.test(host) &&
    /^\/[^/]+\/[^/]+/.test(path)
  )
}

/** Hosts of standards, licences and the like, whose addresses are names rather than places. */
export function isNominalHost(host: string): boolean {
  return /(?:^|\.)(?:w3\.org|json-schema\.org|schema\.org|xmlsoap\.org|opensource\.org|creativecommons\.org|purl\.org|iana\.org|ietf\.org|rfc-editor\.org|spdx\.org|opengis\.net|openxmlformats\.org|gnu\.org|apache\.org|ecma-international\.org|unicode\.org|whatwg\.org)$/.test(
    host,
  )
}
