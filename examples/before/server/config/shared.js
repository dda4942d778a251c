export default { reportUrl: 'https://reports.fennelhill.example/inbox', pageSize: 50, locale: 'en-GB' }
