export default { mailApiKey: 'mail_live_acacia_19', theme: 'dark' }
