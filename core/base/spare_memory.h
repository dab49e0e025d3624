#pragma once

namespace pathmark {

/// Gives back to the system what is kept for the next who asks: for a program that rests for a while.
void releaseSpareMemory();

} // namespace pathmark
