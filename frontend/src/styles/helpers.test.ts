import { expect, test } from 'vitest'
import offered from '../../node_modules/vuetify/lib/styles/utilities.css?raw'
import kept from './helpers.css?raw'

const views = import.meta.glob<string>('../**/*.vue', { query: '?raw', import: 'default', eager: true })

function namesIn(sheet: string): Set<string> {
  return new Set([...sheet.matchAll(/\.([a-z][\w-]*)/g)].map((m) => m[1] ?? ''))
}
/** Words in quotes: where a class is named, in a template or in a script. */
function wordsOf(view: string): string[] {
  return [...view.matchAll(/["'`]([^"'`\n]*)["'`]/g)].flatMap((m) => (m[1] ?? '').split(/\s+/))
}

test("every one of Vuetify's helper classes that is used is there", () => {
  const [all, ours] = [namesIn(offered), namesIn(kept)]
  const used = Object.values(views)
    .flatMap(wordsOf)
    .filter((word) => all.has(word))
  expect(used.length).toBeGreaterThan(50)
  expect([...new Set(used)].filter((word) => !ours.has(word))).toEqual([])
})
