export default {
  root: 'page',
  preview: { port: 5180 },
}
