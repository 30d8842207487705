import { Scene } from 'sedgelight';

export const otter = new Scene.Part('otter');
