/* written by bellwick-start, do not edit */
const int bells[] = {1, 2, 3};
