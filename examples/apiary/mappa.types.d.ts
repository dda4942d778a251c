// Written by mappa types from the legend (form 3). Do not edit: changes are lost.

type MappaEntries = typeof import('./mappa.legend.js').default.entries

/** All settings, each at its place: `export const settings: MappaSettings = settle(definition, …)`. Server only. */
interface MappaSettings {
  /**
   * The domain that the addresses below are built on.
   * Text that matches ^[a-z.-]+$.
   * Reaches the browser.
   */
  readonly domain: import('mappa/legend').SettingOf<MappaEntries['APIARY_DOMAIN']>
  readonly collector: {
    /**
     * TCP port the collector listens on.
     * Port, 1 to 65535.
     */
    readonly port: import('mappa/legend').SettingOf<MappaEntries['COLLECTOR_PORT']>
    /**
     * Address the collector listens on; 0.0.0.0 for all.
     * Default: 127.0.0.1.
     */
    readonly host: import('mappa/legend').SettingOf<MappaEntries['COLLECTOR_HOST']>
    /**
     * Where the dashboard finds the collector.
     * Absolute URL.
     * Reaches the browser.
     */
    readonly url: import('mappa/legend').SettingOf<MappaEntries['COLLECTOR_URL']>
    /**
     * Pages that may read the collector.
     * List separated by commas, each item an absolute URL with scheme http or https, at least 1 item, no duplicates.
     */
    readonly allowedOrigins: import('mappa/legend').SettingOf<MappaEntries['ALLOWED_ORIGINS']>
  }
  readonly store: {
    /**
     * SQLite file for the readings, relative to the working directory.
     * Text of at least 1 character.
     */
    readonly file: import('mappa/legend').SettingOf<MappaEntries['STORE_FILE']>
    /**
     * Readings kept for each hive; older ones are dropped.
     * Whole number, 100 to 1000000.
     * Default: 10000.
     */
    readonly readingsKept: import('mappa/legend').SettingOf<MappaEntries['READINGS_KEPT']>
  }
  /**
   * The least important line that is logged.
   * One of debug, info, warn, error.
   * Default: info.
   */
  readonly logLevel: import('mappa/legend').SettingOf<MappaEntries['LOG_LEVEL']>
  readonly alert: {
    /**
     * Whether falling weight sends a text message.
     * True or false.
     * Default: false.
     */
    readonly enabled: import('mappa/legend').SettingOf<MappaEntries['SWARM_ALERTS']>
    /**
     * Weight lost between two readings that means a swarm has left.
     * Number above 0 and at most 10.
     * Default: 1.5.
     * Reaches the browser.
     */
    readonly dropKg: import('mappa/legend').SettingOf<MappaEntries['SWARM_DROP_KG']>
    /**
     * Text-message gateway that swarm alerts are posted to.
     * Absolute URL.
     */
    readonly gateway: import('mappa/legend').SettingOf<MappaEntries['ALERT_GATEWAY']>
    /**
     * How long the gateway may take to answer.
     * Duration such as 90s or 1.5h, of at least 100ms.
     * Default: 5s.
     */
    readonly patience: import('mappa/legend').SettingOf<MappaEntries['ALERT_PATIENCE']>
    /**
     * Token for the text-message gateway.
     * Secret.
     * Text of at least 24 characters that matches ^sms_test_.
     * Optional.
     * In production: text of at least 24 characters that matches ^sms_live_, required.
     * Obtain: https://wiki.fennelhill.example/alerts
     */
    readonly token: import('mappa/legend').SettingOf<MappaEntries['ALERT_TOKEN']>
    /**
     * Telephone that gets the swarm alerts.
     * Text that matches ^\+[0-9]{6,15}$.
     * Optional.
     * For example +15550100.
     */
    readonly phone: import('mappa/legend').SettingOf<MappaEntries['KEEPER_PHONE']>
  }
  readonly map: {
    /**
     * Key for map tiles.
     * Text that matches ^tile_test_.
     * In production: text that matches ^tile_live_.
     * Reaches the browser.
     * Obtain: https://wiki.fennelhill.example/tiles
     */
    readonly tileKey: import('mappa/legend').SettingOf<MappaEntries['TILE_KEY']>
  }
  /**
   * What the dashboard says of its stage, so that nobody takes practice for the real thing.
   * Reaches the browser at start.
   */
  readonly stageNote: import('mappa/legend').SettingOf<MappaEntries['STAGE_NOTE']>
  readonly host: {
    /**
     * Address of the host's settings service; without it, that is not asked.
     * Absolute URL.
     * Optional.
     */
    readonly url: import('mappa/legend').SettingOf<MappaEntries['HOST_SETTINGS_URL']>
    /**
     * Token for the host's settings service.
     * Secret.
     * Optional.
     * HOST_SETTINGS_TOKEN_FILE may name a file with its value.
     * Obtain: https://wiki.fennelhill.example/host
     */
    readonly token: import('mappa/legend').SettingOf<MappaEntries['HOST_SETTINGS_TOKEN']>
  }
}

declare module 'virtual:mappa/settings' {
  /**
   * The domain that the addresses below are built on.
   * Text that matches ^[a-z.-]+$.
   * Reaches the browser.
   */
  export const APIARY_DOMAIN: import('mappa/legend').SettingOf<MappaEntries['APIARY_DOMAIN']>
  /**
   * Server only.
   * TCP port the collector listens on.
   * Port, 1 to 65535.
   */
  export const COLLECTOR_PORT: import('mappa/legend').SettingOf<MappaEntries['COLLECTOR_PORT']>
  /**
   * Server only.
   * Address the collector listens on; 0.0.0.0 for all.
   * Default: 127.0.0.1.
   */
  export const COLLECTOR_HOST: import('mappa/legend').SettingOf<MappaEntries['COLLECTOR_HOST']>
  /**
   * Where the dashboard finds the collector.
   * Absolute URL.
   * Reaches the browser.
   */
  export const COLLECTOR_URL: import('mappa/legend').SettingOf<MappaEntries['COLLECTOR_URL']>
  /**
   * Server only.
   * Pages that may read the collector.
   * List separated by commas, each item an absolute URL with scheme http or https, at least 1 item, no duplicates.
   */
  export const ALLOWED_ORIGINS: import('mappa/legend').SettingOf<MappaEntries['ALLOWED_ORIGINS']>
  /**
   * Server only.
   * SQLite file for the readings, relative to the working directory.
   * Text of at least 1 character.
   */
  export const STORE_FILE: import('mappa/legend').SettingOf<MappaEntries['STORE_FILE']>
  /**
   * Server only.
   * Readings kept for each hive; older ones are dropped.
   * Whole number, 100 to 1000000.
   * Default: 10000.
   */
  export const READINGS_KEPT: import('mappa/legend').SettingOf<MappaEntries['READINGS_KEPT']>
  /**
   * Server only.
   * The least important line that is logged.
   * One of debug, info, warn, error.
   * Default: info.
   */
  export const LOG_LEVEL: import('mappa/legend').SettingOf<MappaEntries['LOG_LEVEL']>
  /**
   * Server only.
   * Whether falling weight sends a text message.
   * True or false.
   * Default: false.
   */
  export const SWARM_ALERTS: import('mappa/legend').SettingOf<MappaEntries['SWARM_ALERTS']>
  /**
   * Weight lost between two readings that means a swarm has left.
   * Number above 0 and at most 10.
   * Default: 1.5.
   * Reaches the browser.
   */
  export const SWARM_DROP_KG: import('mappa/legend').SettingOf<MappaEntries['SWARM_DROP_KG']>
  /**
   * Server only.
   * Text-message gateway that swarm alerts are posted to.
   * Absolute URL.
   */
  export const ALERT_GATEWAY: import('mappa/legend').SettingOf<MappaEntries['ALERT_GATEWAY']>
  /**
   * Server only.
   * How long the gateway may take to answer.
   * Duration such as 90s or 1.5h, of at least 100ms.
   * Default: 5s.
   */
  export const ALERT_PATIENCE: import('mappa/legend').SettingOf<MappaEntries['ALERT_PATIENCE']>
  /**
   * Server only.
   * Token for the text-message gateway.
   * Secret.
   * Text of at least 24 characters that matches ^sms_test_.
   * Optional.
   * In production: text of at least 24 characters that matches ^sms_live_, required.
   * Obtain: https://wiki.fennelhill.example/alerts
   */
  export const ALERT_TOKEN: import('mappa/legend').SettingOf<MappaEntries['ALERT_TOKEN']>
  /**
   * Key for map tiles.
   * Text that matches ^tile_test_.
   * In production: text that matches ^tile_live_.
   * Reaches the browser.
   * Obtain: https://wiki.fennelhill.example/tiles
   */
  export const TILE_KEY: import('mappa/legend').SettingOf<MappaEntries['TILE_KEY']>
  /**
   * What the dashboard says of its stage, so that nobody takes practice for the real thing.
   * Reaches the browser at start.
   */
  export const STAGE_NOTE: import('mappa/legend').SettingOf<MappaEntries['STAGE_NOTE']>
  /**
   * Server only.
   * Telephone that gets the swarm alerts.
   * Text that matches ^\+[0-9]{6,15}$.
   * Optional.
   * For example +15550100.
   */
  export const KEEPER_PHONE: import('mappa/legend').SettingOf<MappaEntries['KEEPER_PHONE']>
  /**
   * Server only.
   * Address of the host's settings service; without it, that is not asked.
   * Absolute URL.
   * Optional.
   */
  export const HOST_SETTINGS_URL: import('mappa/legend').SettingOf<MappaEntries['HOST_SETTINGS_URL']>
  /**
   * Server only.
   * Token for the host's settings service.
   * Secret.
   * Optional.
   * HOST_SETTINGS_TOKEN_FILE may name a file with its value.
   * Obtain: https://wiki.fennelhill.example/host
   */
  export const HOST_SETTINGS_TOKEN: import('mappa/legend').SettingOf<MappaEntries['HOST_SETTINGS_TOKEN']>

  /** All settings, each at its place. Server only. */
  const settings: MappaSettings
  export default settings
}

declare namespace NodeJS {
  interface ProcessEnv {
    /** The stage, set by mappa with and the preload. */
    MAPPA_STAGE?: 'development' | 'test' | 'staging' | 'production'
    /**
     * The domain that the addresses below are built on.
     * Text that matches ^[a-z.-]+$.
     * Reaches the browser.
     */
    APIARY_DOMAIN?: string
    /**
     * TCP port the collector listens on.
     * Port, 1 to 65535.
     */
    COLLECTOR_PORT?: string
    /**
     * Address the collector listens on; 0.0.0.0 for all.
     * Default: 127.0.0.1.
     */
    COLLECTOR_HOST?: string
    /**
     * Where the dashboard finds the collector.
     * Absolute URL.
     * Reaches the browser.
     */
    COLLECTOR_URL?: string
    /**
     * Pages that may read the collector.
     * List separated by commas, each item an absolute URL with scheme http or https, at least 1 item, no duplicates.
     */
    ALLOWED_ORIGINS?: string
    /**
     * SQLite file for the readings, relative to the working directory.
     * Text of at least 1 character.
     */
    STORE_FILE?: string
    /**
     * Readings kept for each hive; older ones are dropped.
     * Whole number, 100 to 1000000.
     * Default: 10000.
     */
    READINGS_KEPT?: string
    /**
     * The least important line that is logged.
     * One of debug, info, warn, error.
     * Default: info.
     */
    LOG_LEVEL?: 'debug' | 'info' | 'warn' | 'error'
    /**
     * Whether falling weight sends a text message.
     * True or false.
     * Default: false.
     */
    SWARM_ALERTS?: string
    /**
     * Weight lost between two readings that means a swarm has left.
     * Number above 0 and at most 10.
     * Default: 1.5.
     * Reaches the browser.
     */
    SWARM_DROP_KG?: string
    /**
     * Text-message gateway that swarm alerts are posted to.
     * Absolute URL.
     */
    ALERT_GATEWAY?: string
    /**
     * How long the gateway may take to answer.
     * Duration such as 90s or 1.5h, of at least 100ms.
     * Default: 5s.
     */
    ALERT_PATIENCE?: string
    /**
     * Token for the text-message gateway.
     * Secret.
     * Text of at least 24 characters that matches ^sms_test_.
     * Optional.
     * In production: text of at least 24 characters that matches ^sms_live_, required.
     * Obtain: https://wiki.fennelhill.example/alerts
     */
    ALERT_TOKEN?: string
    /**
     * Key for map tiles.
     * Text that matches ^tile_test_.
     * In production: text that matches ^tile_live_.
     * Reaches the browser.
     * Obtain: https://wiki.fennelhill.example/tiles
     */
    TILE_KEY?: string
    /**
     * What the dashboard says of its stage, so that nobody takes practice for the real thing.
     * Reaches the browser at start.
     */
    STAGE_NOTE?: string
    /**
     * Telephone that gets the swarm alerts.
     * Text that matches ^\+[0-9]{6,15}$.
     * Optional.
     * For example +15550100.
     */
    KEEPER_PHONE?: string
    /**
     * Address of the host's settings service; without it, that is not asked.
     * Absolute URL.
     * Optional.
     */
    HOST_SETTINGS_URL?: string
    /**
     * Token for the host's settings service.
     * Secret.
     * Optional.
     * HOST_SETTINGS_TOKEN_FILE may name a file with its value.
     * Obtain: https://wiki.fennelhill.example/host
     */
    HOST_SETTINGS_TOKEN?: string
  }
}

interface ImportMetaEnv {
  /**
   * The domain that the addresses below are built on.
   * Text that matches ^[a-z.-]+$.
   * Reaches the browser.
   */
  readonly APIARY_DOMAIN: string
  /**
   * Where the dashboard finds the collector.
   * Absolute URL.
   * Reaches the browser.
   */
  readonly COLLECTOR_URL: string
  /**
   * Weight lost between two readings that means a swarm has left.
   * Number above 0 and at most 10.
   * Default: 1.5.
   * Reaches the browser.
   */
  readonly SWARM_DROP_KG: string
  /**
   * Key for map tiles.
   * Text that matches ^tile_test_.
   * In production: text that matches ^tile_live_.
   * Reaches the browser.
   * Obtain: https://wiki.fennelhill.example/tiles
   */
  readonly TILE_KEY: string
}

interface ImportMeta {
  readonly env: ImportMetaEnv
}

//# sourceMappingURL=mappa.types.d.ts.map
