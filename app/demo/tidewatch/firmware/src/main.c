#include <stdio.h>

#include "pressure.h"

int main(void)
{
    unsigned count;
    while (scanf("%u", &count) == 1)
        printf("north-jetty %.2f\n", hectopascals(count));
    return 0;
}
