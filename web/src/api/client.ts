/** The typed client of Mnemic's API; its types are generated from the server's OpenAPI. */
import createClient from 'openapi-fetch'

import type { components, paths } from './schema'

type Schemas = components['schemas']
export type Rule = Schemas['Rule']
export type Test = Rule['when']
export type Condition = Extract<Test, { field: string }>
export type Action = Rule['then'][number]
export type StoredRule = Schemas['RuleOut']
export type Line = Schemas['LineOut']
export type Connection = Schemas['ConnectionOut']
export type MailThere = components['schemas']['MailThereOut']
export type DeviceAct = components['schemas']['DeviceActIn']['do']
export type Connected = Schemas['ConnectedOut']
export type Folder = Schemas['FolderOut']
export type Emptying = Schemas['EmptyingOut']
export type Label = Schemas['LabelOut']
export type Message = Schemas['MessageOut']
export type Messages = Schemas['MessagesOut']
export type MessageQuery = NonNullable<paths['/api/messages']['get']['parameters']['query']>
export type OpenMessage = Schemas['OpenMessageOut']
export type TrailEntry = Schemas['TrailOut']
export type Evidence = Schemas['EvidenceOut']
export type Rehearsal = Schemas['RehearsalOut']
export type RehearsalBody = Schemas['RehearsalIn']
/** What is done to messages: an action that rules have, too, or what only people do. */
export type AskedAct = { do: Action } | { plain: PlainAct }
/** A message as the rehearsal shows it. */
export type RehearsedMail = Schemas['MailOut']
export type KindCount = Schemas['KindCountOut']
export type NextUndo = Schemas['NextUndoOut']
export type CatchUpReport = Schemas['CatchUpReport']
/** Which rules to apply to which mail; what is left out is all, or the usual. */
export interface CatchUpAsked {
  rule_ids: number[]
  which?: Which | null
  since?: string | null
  until?: string | null
  everywhere?: boolean
  respects?: boolean
  takes_left?: boolean
}
export type CatchUpPreview = Schemas['CatchUpPreviewOut']
export type CatchUpJob = Schemas['CatchUpJobOut']
export type HistoryRun = Schemas['RunOut']
export type RunMessages = Schemas['RunMessagesOut']
export type ProblemDetails = Schemas['ProblemDetails']
export type ServerEvent = Schemas['Event']
/** Some by id, or all of a folder, a label or a search, but for some. */
export type Which = Partial<Schemas['WhichIn']>
export type FolderChoice = NonNullable<Schemas['FolderChoiceIn']['choice']>
/** What only people do; a folder's id is needed where something is moved to it. */
export type PlainAct = Pick<Schemas['PlainAct'], 'do'> & Partial<Schemas['PlainAct']>
export type Fact = Schemas['FactOut']
export type Account = Schemas['AccountOut']
export type Contact = Schemas['ContactOut']
export type Preferences = Schemas['Preferences']
export type Import = Schemas['ImportOut']
export type Posted = Schemas['PostedOut']
export type Suggestion = Schemas['SuggestionOut']
export type LineChange = Schemas['LineChangeOut']
export type Finding = Schemas['FindingOut']
export type BrokenExample = Schemas['BrokenOut']
export type Insights = Schemas['InsightsOut']
export type MailBehind = Schemas['MailBehindOut']
export type WorthALook = Schemas['WorthALookOut']
export type Start = Schemas['StartOut']
export type RuleProposal = Schemas['RuleProposalOut']
export type RuleWork = Schemas['RuleWorkOut']
export type RuleVersion = Schemas['VersionOut']
export type MarkedMessage = Schemas['MarkedOut']
export type Proposal = Schemas['ProposalOut']
export type WhatIf = Schemas['WhatIfOut']
export type DocumentPreview = Schemas['PreviewOut']
export type RuleGrade = Schemas['GradeOut']
export type ServerScript = Schemas['ScriptPreviewOut']
export type RulesWhere = Schemas['RulesWhereOut']
export type RuleScript = Schemas['ScriptOut']

export const api = createClient<paths>({
  baseUrl: location.origin,
  fetch: (request) => fetch(request), // looked up when it is called
})

/** What the server refused, in its own words. */
export class RefusedError extends Error {
  constructor(readonly problem: ProblemDetails) {
    super(problem.detail)
  }
}

const NO_ANSWER: ProblemDetails = {
  type: 'about:blank',
  title: 'No answer',
  status: 0,
  detail: 'Mnemic does not answer. Look whether it still runs, then try again.',
  errors: [],
}

function isProblem(value: unknown): value is ProblemDetails {
  return typeof value === 'object' && value !== null && 'detail' in value
}

/** The content of an answer; throws RefusedError where the server refused or did not answer. */
export async function content<T>(
  request: Promise<{ data?: T | undefined; error?: unknown; response: Response }>,
): Promise<T> {
  let answer: { data?: T | undefined; error?: unknown; response: Response }
  try {
    answer = await request
  } catch (error) {
    if (error instanceof DOMException && error.name === 'AbortError') throw error
    throw new RefusedError(NO_ANSWER)
  }
  if (!answer.response.ok) {
    throw new RefusedError(isProblem(answer.error) ? answer.error : NO_ANSWER)
  }
  return answer.data as T
}
