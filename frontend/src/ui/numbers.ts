/** Numbers as people type and read them. */

export interface Parsed {
  value: number | null
  error: string
}

/**
 * A number typed by a person: decimal point or comma, blanks around.
 * An empty field is no number and no error; "1,234.5" and words are errors.
 */
export function parseNumber(text: string): Parsed {
  const clean = text.trim().replace(/\u2212/g, '-')
  if (clean === '') return { value: null, error: '' }
  if (!/^[-+]?(\d+([.,]\d*)?|[.,]\d+)$/.test(clean)) {
    return { value: null, error: `'${clean}' is not a number. Write 12.5 or 12,5.` }
  }
  const value = Number(clean.replace(',', '.'))
  return Number.isFinite(value) ? { value, error: '' } : { value: null, error: 'That number is too large.' }
}

/** A voltage drop typed in millivolts, or in volts with a V behind it; the value is in volts. */
export function parseDrop(text: string): Parsed {
  const match = /^(.*?)\s*(mv|v)?$/i.exec(text.trim())
  const unit = match?.[2]?.toLowerCase() ?? 'mv'
  const parsed = parseNumber(match?.[1] ?? '')
  if (parsed.value === null) return parsed
  return { value: unit === 'v' ? parsed.value : parsed.value / 1000, error: '' }
}

export interface Limits {
  least?: number
  most?: number
  /** The least itself is too little. */
  above?: boolean
  /** Counted: no fractions. */
  whole?: boolean
}

const A_LITTLE = 0.1

/** Checks a range; the message says what is allowed. */
export function inRange(value: number, { least, most, above, whole }: Limits, unit: string): string {
  const words = unit ? ` ${unit}` : ''
  if (least !== undefined && above && value <= least) return `More than ${least}${words}.`
  // A least that only keeps numbers apart from nothing is none to name to somebody who typed nothing or less.
  if (least !== undefined && least > 0 && least < A_LITTLE && value <= 0) return `More than 0${words}.`
  if (least !== undefined && value < least) return `At least ${least}${words}.`
  if (most !== undefined && value > most) return `At most ${most}${words}.`
  if (whole && !Number.isInteger(value)) return 'A whole number.'
  return ''
}

/** A bound in another unit without the digits that converting leaves behind. */
export const tidy = (value: number): number => Number(value.toPrecision(4))

/** Fixed digits with a true minus sign; an en dash for nothing. */
export function fixed(value: number | null | undefined, digits: number): string {
  if (value === null || value === undefined || !Number.isFinite(value)) return '–'
  const text = value.toFixed(digits)
  return (Number(text) === 0 ? text.replace('-', '') : text).replace('-', '−')
}

/** Volts as millivolts, as many digits as a hand meter earns. */
export const mv = (volts: number | null | undefined): string => fixed(volts === null || volts === undefined ? null : volts * 1000, 0)

/** Ohms as milliohms. */
export const mohm = (ohm: number | null | undefined): string => fixed(ohm === null || ohm === undefined ? null : ohm * 1000, 2)

/** A number as it is put back into a field. */
export function asTyped(value: number | null | undefined): string {
  return value === null || value === undefined ? '' : String(Number(value.toPrecision(10)))
}

/** Minutes of work, or hours where nobody counts minutes. */
export const inMinutes = (minutes: number): string => (minutes >= 90 ? `${fixed(minutes / 60, 0)} h` : `${fixed(minutes, 0)} min`)

/** An amount of money, which comes as a decimal in a string: to the cent, with its currency where there is one. */
export function money(value: string | number, currency: string): string {
  const figure = fixed(Number(value), 2)
  return currency ? `${figure} ${currency}` : figure
}

/** Units in a text of the core as a screen writes them. */
export const asWritten = (text: string): string => text.replaceAll('mm2', 'mm²').replaceAll('degC', '°C')
