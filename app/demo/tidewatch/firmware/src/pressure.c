#include "pressure.h"

double hectopascals(unsigned count)
{
    const double counts_a_hectopascal = 16.0;
    return count / counts_a_hectopascal;
}
