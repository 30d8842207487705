import { Scene } from 'sedgelight';
import { play } from 'sedgelight-sound';
import { rushes } from '../extensions/rushes/index.js';

const scene = new Scene('reeds');
rushes(scene);
play(scene, 'wind');
