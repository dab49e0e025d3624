#include "core/samp/lock_file.h"

#include "fuzz/input.h"

// Any text as the file that a hub tells its address in.

namespace pathmark {

void fuzz::execute(const Input& input) {
    (void)samp::readLockFile(input.file("lock"));
}

} // namespace pathmark
