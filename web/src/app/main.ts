import { createApp } from 'vue'
import { applyTheme } from '../composables/useTheme'
import App from './App.vue'
import { router } from './router'
import './style.css'

applyTheme()
createApp(App).use(router).mount('#app')
