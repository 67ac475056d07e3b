/** How a verdict is shown: a word, a shape and a colour, never colour alone. */
import type { BranchVerdict } from '@/api/types'

export interface Mark {
  word: string
  colour: string
  /** Outline in a 24 x 24 box. */
  path: string
}

export const MARKS: Record<BranchVerdict, Mark> = {
  pass: { word: 'pass', colour: 'var(--pass)', path: 'M4 13l5 5L20 6' },
  excess: { word: 'excess', colour: 'var(--excess)', path: 'M12 4l9 16H3z M12 10v5 M12 17.5v.5' },
  fail: { word: 'FAIL', colour: 'var(--fail)', path: 'M8 3h8l5 5v8l-5 5H8l-5-5V8z M8.5 8.5l7 7 M15.500 8.5l-7 7' },
  undecided: {
    word: 'undecided',
    colour: 'var(--undecided)',
    path: 'M12 2l10 10-10 10L2 12z M9 9.500a3 3 0 1 1 4 3c-1 .5-1 1-1 2 M12 17.500v.2',
  },
  too_close_to_call: { word: 'too close', colour: 'var(--close)', path: 'M12 2l10 10-10 10L2 12z M8 10h8 M8 14h8' },
  check_probes: { word: 'check probes', colour: 'var(--probes)', path: 'M3 3h18v18H3z M7 9h9l-3-3 M17 15H8l3 3' },
  not_measured: { word: 'not read', colour: 'var(--quiet)', path: 'M12 3a9 9 0 1 0 .01 0z' },
}
