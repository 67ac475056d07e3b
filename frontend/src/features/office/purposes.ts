/** What a purpose asks, rule by rule, as it is chosen on the screen. */
import type { PurposeProfile, PurposesRecord } from '@/api/types'

export type Strictness = 'required' | 'advised' | 'no'
type Rule = PurposesRecord['rules'][number]

export function strictnessOf(profile: PurposeProfile, rule: string): Strictness {
  if ([...profile.requires, ...profile.forbids].includes(rule)) return 'required'
  return profile.advises.includes(rule) ? 'advised' : 'no'
}

/** One rule asked otherwise; of what must not be, required means forbidden. */
export function withRule(profile: PurposeProfile, rule: Rule, asked: Strictness): PurposeProfile {
  const without = (names: readonly string[]) => names.filter((n) => n !== rule.name)
  const list = asked === 'advised' ? 'advises' : rule.forbids ? 'forbids' : 'requires'
  const rest = { ...profile, requires: without(profile.requires), forbids: without(profile.forbids), advises: without(profile.advises) }
  return asked === 'no' ? rest : { ...rest, [list]: [...rest[list], rule.name] }
}
