import { ref } from 'vue'

const KEY = 'pruxel.night'
export const night = ref(localStorage.getItem(KEY) === '1')

export function applyTheme() {
  document.documentElement.toggleAttribute('data-night', night.value)
}

export function toggleNight() {
  night.value = !night.value
  localStorage.setItem(KEY, night.value ? '1' : '0')
  applyTheme()
}
