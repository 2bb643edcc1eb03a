/** The sounds that rules can ask for, made on the spot: nothing has to be loaded. */

/** Pitches in hertz, one after the other. */
const NOTES: Record<string, readonly number[]> = {
  default: [660],
  bell: [880, 660],
  knock: [180, 180],
  ripple: [520, 620, 740],
}

const LASTS = 0.16 // seconds a note
const LOUDNESS = 0.12

/** Play each sound once. A browser that allows no sound yet stays silent. */
export function play(sounds: readonly string[]): void {
  if (sounds.length === 0 || !('AudioContext' in window)) return
  const audio = new AudioContext()
  const notes = sounds.flatMap((sound) => NOTES[sound] ?? NOTES['default'] ?? [])
  notes.forEach((pitch, index) => {
    const tone = audio.createOscillator()
    const volume = audio.createGain()
    const begins = audio.currentTime + index * LASTS
    tone.frequency.value = pitch
    volume.gain.setValueAtTime(LOUDNESS, begins)
    volume.gain.exponentialRampToValueAtTime(0.001, begins + LASTS)
    tone.connect(volume).connect(audio.destination)
    tone.start(begins)
    tone.stop(begins + LASTS)
    if (index === notes.length - 1) tone.onended = () => void audio.close()
  })
}
