/** Mnemic's colours, by name: those that the core knows. */
import { CATALOGUE } from '@/rules/catalogue'

export const COLOURS = CATALOGUE.actions.colour.picks.values

export type Colour = (typeof COLOURS)[number]
