/** Checks of what is said of takes held against a budget. Failures name the field. */
import { asFields, finite, list, text, texts } from '@lapsus/core/format'
import { OUTCOMES, type Checked } from '@lapsus/core/gate'
import { freeText, MOST, oneOf } from './field-checks.ts'

export function checkChecked(value: unknown): Checked {
  const fields = asFields(value, 'check')
  oneOf(fields, 'outcome', OUTCOMES)
  texts(fields, 'problems', MOST)
  for (const row of list(fields, 'rows', MOST)) {
    for (const field of ['of', 'figure']) text(row, field)
    for (const field of ['take', 'words']) freeText(row, field)
    texts(row, 'name', MOST)
    finite(row, 'most')
    if (row['value'] !== null) finite(row, 'value')
    oneOf(row, 'outcome', OUTCOMES)
  }
  return value as Checked
}
