#include <bellwick/ring.h>

void strike(int hour) { while (hour--) bw_ring(2, 0.9); }
