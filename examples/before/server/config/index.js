import development from './development.js'
import production from './production.js'
import shared from './shared.js'
import staging from './staging.js'

const own = { development, staging, production }[process.env.NODE_ENV ?? 'development']
export const config = { ...shared, ...own }
