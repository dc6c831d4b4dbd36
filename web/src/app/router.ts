import { createRouter, createWebHistory } from 'vue-router'
import BenchView from '../features/bench/BenchView.vue'
import BrowseView from '../features/browse/BrowseView.vue'
import CatalogueView from '../features/catalogue/CatalogueView.vue'
import DeliverView from '../features/deliver/DeliverView.vue'
import SourcesView from '../features/sources/SourcesView.vue'

export const router = createRouter({
  history: createWebHistory(),
  routes: [
    { path: '/', component: SourcesView },
    { path: '/:project/sources', name: 'sources', component: SourcesView },
    { path: '/:project/browse', name: 'browse', component: BrowseView },
    { path: '/:project/catalogue', name: 'catalogue', component: CatalogueView },
    { path: '/:project/bench/:workpiece?', name: 'bench', component: BenchView },
    { path: '/:project/deliver/:workpiece?', name: 'deliver', component: DeliverView },
  ],
})
