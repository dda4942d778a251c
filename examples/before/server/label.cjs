'use strict'

const printer = { host: 'printer.fennelhill.example', queue: 'honey-labels' }
const printerPassword = 'beeswax-candle-4'

exports.label = (hive) => `${hive} via ${printer.host}/${printer.queue} (${printerPassword.length})`
