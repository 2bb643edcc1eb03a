/** The colour in which a rule is drawn in the line. */
import type { StoredRule } from '@/api/client'
import { COLOURS, type Colour } from '@/mail/colours'

/** The colour that it gives, or that of its label; else one that stays the same for the rule. */
export function ruleColour(stored: StoredRule, ofLabel: ReadonlyMap<string, string>): string {
  for (const action of stored.rule.then) {
    if (action.do === 'colour') return action.colour
    const label = action.do === 'label' ? ofLabel.get(action.label.toLowerCase()) : undefined
    if (label) return label
  }
  const own: Colour | undefined = COLOURS[(stored.id * 3) % COLOURS.length]
  return own ?? 'slate'
}
