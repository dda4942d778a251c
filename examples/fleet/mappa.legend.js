import { legend } from 'mappa/legend'

export default legend(
  {
    SCALE_PAUSE: {
      type: 'duration',
      minimum: '1s',
      as: 'scale.pause',
      description: 'How long a scale waits between two readings',
    },
    GATEWAY_TOKEN: {
      type: 'string',
      secret: true,
      minLength: 12,
      as: 'gateway.token',
      description: 'Opens the gateway',
    },
    FLEET_STORE: { type: 'string', format: 'uri', optional: true, description: 'Where the settings of the fleet lie' },
  },
  { remotes: [{ name: 'the fleet store', url: 'FLEET_STORE', etcd: 'apiary/' }] },
)
