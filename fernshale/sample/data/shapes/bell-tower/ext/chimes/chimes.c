#include <bellwick/ring.h>

void chime(void) { bw_ring(1, 0.1); }
