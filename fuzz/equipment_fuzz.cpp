#include "core/frame/equipment.h"

#include "fuzz/input.h"

// Any text as the observer's description of cameras, telescopes and sites.

namespace pathmark {

void fuzz::execute(const Input& input) {
    (void)frame::readEquipment(input.file("equipment.toml"));
}

} // namespace pathmark
