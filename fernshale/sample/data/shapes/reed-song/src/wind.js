import noise from 'plain-noise';

export const wind = (t) => noise(t) * 0.5;
