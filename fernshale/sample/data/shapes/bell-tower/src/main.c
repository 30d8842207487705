#include <bellwick/ring.h>
#include "../start/start.h"

int main(void) {
    start_all();
    bw_ring(3, 0.5);
    return 0;
}
