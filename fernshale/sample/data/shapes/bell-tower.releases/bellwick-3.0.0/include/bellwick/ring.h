#ifndef BELLWICK_RING_H
#define BELLWICK_RING_H

/* strikes a bell */
void bw_strike(int bell, double strength);

#endif
