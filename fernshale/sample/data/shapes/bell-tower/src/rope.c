#include <bellwick/ring.h>

void pull(int bell) { bw_ring(bell, 1.0); }
