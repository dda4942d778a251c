export default { reportUrl: 'https://reports.staging.fennelhill.example/inbox', mailApiKey: 'mail_test_willow_23' }
