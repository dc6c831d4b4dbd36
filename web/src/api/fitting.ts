// Joints: which of one skeleton is which of another, and where turning and pulling them brings them.
import { client, ok, type Schemas } from './ask'

export type PoseWish = Schemas['Pose']

export const fitting = {
  meet: (manifest: string, body: Schemas['JointsIn']) =>
    ok(client.POST('/api/scenes/{manifest}/joints', { params: { path: { manifest } }, body })),
  keep: (project: string, pairs: string[]) =>
    ok(client.POST('/api/projects/{project}/profile/joints', { params: { path: { project } }, body: { pairs } })),
  pose: (manifest: string, body: PoseWish) =>
    ok(client.POST('/api/scenes/{manifest}/pose', { params: { path: { manifest } }, body })),
}

export type JointsMet = Awaited<ReturnType<typeof fitting.meet>>
