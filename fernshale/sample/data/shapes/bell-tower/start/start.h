/* written by bellwick-start, do not edit */
void start_all(void);
