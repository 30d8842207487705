import { Scene } from 'sedgelight';

export function rushes(scene) {
  scene.add(new Scene.Part('rushes'));
}
