import { mapOf } from './map.js'

const apiBase = 'http://localhost:4181/api/v1'
const supportEmail = 'keepers@fennelhill.example'
const TOKEN_STORAGE_KEY = 'tokenStorageKey'
const labels = { password: 'Password', token: 'Your token' }

const season = import.meta.env.VITE_SEASON || 'spring'

export async function load() {
  const stored = localStorage.getItem(TOKEN_STORAGE_KEY)
  const answer = await fetch(`${apiBase}/stores`, { headers: stored ? { authorization: stored } : {} })
  document.querySelector('#hives').textContent = JSON.stringify(await answer.json())
  document.querySelector('#title').title = `${labels.password}: ${supportEmail}, ${season}`
  document.body.append(mapOf('meadow'))
}

void load()
