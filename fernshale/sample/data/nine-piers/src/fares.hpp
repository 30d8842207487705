#pragma once

namespace piers {

// Pence a passenger pays at a minute of the day.
int fare(int minute);
void take_fares(int people, int minute);
int till();

}  // namespace piers
