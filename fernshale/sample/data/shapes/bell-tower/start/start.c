/* written by bellwick-start, do not edit */
#include <bellwick/start.h>

void start_all(void) { bw_start(8); }
