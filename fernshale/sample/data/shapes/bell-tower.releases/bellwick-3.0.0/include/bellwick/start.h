#ifndef BELLWICK_START_H
#define BELLWICK_START_H

void bw_start(int bells);

#endif
