#ifndef BELLWICK_RING_H
#define BELLWICK_RING_H

/* rings a bell */
void bw_ring(int bell, double strength);

#endif
