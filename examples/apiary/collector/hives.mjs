// Prints the latest reading of each hive that a collector knows: node hives.mjs URL
const [url] = process.argv.slice(2)
try {
  const response = await fetch(new URL('/hives', url))
  for (const { hive, weight, temperature } of await response.json())
    console.log(`${hive}: ${weight} kg, ${temperature} °C`)
} catch (error) {
  console.error(`No collector answers at ${url}: ${error.cause?.code ?? error.message}`)
  process.exitCode = 1
}
