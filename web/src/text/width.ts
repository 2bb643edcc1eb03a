/** How wide a text is in the interface's type, in pixels. */
let pen: CanvasRenderingContext2D | null = null

export function textWidth(text: string): number {
  pen ??= document.createElement('canvas').getContext('2d')
  if (!pen) return 0
  const { fontSize, fontFamily } = getComputedStyle(document.body)
  pen.font = `${fontSize} ${fontFamily}`
  return pen.measureText(text).width
}
