#ifndef PRESSURE_H
#define PRESSURE_H

/* Turns a raw count of the sensor into hectopascals. */
double hectopascals(unsigned count);

#endif
