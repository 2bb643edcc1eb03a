/** What is said where a rule is offered for something that was done by hand again and again. */

import type { RuleProposal } from '@/api/client'

type Action = RuleProposal['rule']['then'][number]

/** "filed … in Ferry": what was done, around those that it was done with. */
function deed(action: Action): [before: string, after: string] {
  switch (action.do) {
    case 'file':
      return ['filed', `in ${action.folder}`]
    case 'label':
      return ['labelled', `“${action.label}”`]
    case 'archive':
      return ['archived', '']
    case 'trash':
      return ['put', 'in the trash']
    case 'flag':
      return ['flagged', '']
    case 'read':
      return ['marked', 'as read']
    default:
      return ['done this with', '']
  }
}

/** "You have filed 5 from desk@ferry.example in Ferry". */
export function offerSaying({ did, rule }: RuleProposal): string {
  const action = rule.then[0]
  const [before, after] = action ? deed(action) : ['done this with', '']
  const whom = 'values' in rule.when ? rule.when.values?.[0] : undefined
  return `You have ${before} ${did.toLocaleString('en-GB')} from ${String(whom ?? 'them')} ${after}`.trim()
}
