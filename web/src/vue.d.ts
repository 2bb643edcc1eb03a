/** Single-file components, for tools that can't read them themselves. */
declare module '*.vue' {
  import type { Component } from 'vue'

  const component: Component
  export default component
}
