// What leaves its place on the screen (WCAG 2.2, 1.4.10 Reflow): sideways scrolling of the page or of
// a pane, what lies beyond the window's edge, text wider than what it stands on, a page that scrolls.
() => {
  const width = document.documentElement.clientWidth
  const told = new Set()
  const page = document.documentElement
  if (page.scrollWidth > width) told.add(`the page is ${page.scrollWidth} wide`)
  window.scrollTo(0, 1000)
  if (window.scrollY > 0 || document.body.scrollTop > 0) told.add('the page scrolls')
  const name = (each) => `${each.tagName.toLowerCase()}.${each.className} “${each.textContent.trim().slice(0, 40)}”`
  // Text that is cut by an ellipsis, and says so, may be longer than its line.
  const isCut = (each) => {
    for (let at = each; at; at = at.parentElement) {
      if (getComputedStyle(at).textOverflow === 'ellipsis') return true
    }
    return false
  }
  for (const each of document.querySelectorAll('body *')) {
    const box = each.getBoundingClientRect()
    const style = getComputedStyle(each)
    if (!box.width || !box.height || style.visibility === 'hidden') continue
    if (each.closest('.visually-hidden, svg, iframe') || isCut(each)) continue
    if (['auto', 'scroll'].includes(style.overflowX) && each.scrollWidth > each.clientWidth + 1) {
      told.add(`scrolls sideways: ${name(each)}`)
    }
    if (box.right > width + 1 || box.left < -1) told.add(`beyond the edge: ${name(each)}`)
    if (['BUTTON', 'A', 'LABEL'].includes(each.tagName) && style.display !== 'inline') {
      if (each.scrollWidth > each.clientWidth + 2) told.add(`wider than its place: ${name(each)}`)
    }
  }
  return [...told].slice(0, 20)
}
