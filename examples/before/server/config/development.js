export default { reportUrl: 'http://localhost:4191/inbox', mailApiKey: 'mail_test_linden_07' }
