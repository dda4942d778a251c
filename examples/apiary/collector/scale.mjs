// Stands in for a hive scale: node scale.mjs URL HIVE WEIGHT TEMPERATURE sends one reading and prints the answer.
const [url, hive, weight, temperature] = process.argv.slice(2)
try {
  const response = await fetch(new URL('/readings', url), {
    method: 'POST',
    body: JSON.stringify({ hive, weight: Number(weight), temperature: Number(temperature) }),
  })
  console.log(response.status, await response.text())
} catch (error) {
  console.error(`No collector answers at ${url}: ${error.cause?.code ?? error.message}`)
  process.exitCode = 1
}
