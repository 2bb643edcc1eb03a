/** Something that can be done with a place, as its menu has it. */
export interface MenuCommand {
  command: string
  label: string
  /** A colour that is shown before it. */
  swatch?: string
  disabled?: boolean
  /** Below a line. */
  divided?: boolean
}
