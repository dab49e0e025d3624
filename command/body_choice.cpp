#include "command/body_choice.h"

#include "core/orbit/body_id.h"
#include "core/orbit/formats/orbit_file.h"

#include <algorithm>

namespace pathmark::command {

Result<orbit::Elements> bodyFrom(const std::vector<std::string>& orbitFiles,
                                 const std::string& body) {
    const std::vector<std::filesystem::path> files(orbitFiles.begin(), orbitFiles.end());
    auto orbits = orbit::readOrbitFiles(files);
    if (!orbits) {
        return fail(orbits.error());
    }
    for (const Error& error : orbits->badLines) {
        Console::complain(error);
    }
    const auto wanted = orbit::BodyId::of(body);
    const auto found =
        std::find_if(orbits->orbits.begin(), orbits->orbits.end(), [&](const auto& e) {
            return e.name == body || e.packed == body || orbit::BodyId::of(e.name) == wanted;
        });
    if (found == orbits->orbits.end()) {
        return fail(ErrorId::OrbitUnknownBody, "No orbit file given has this body.", body);
    }
    return *found;
}

} // namespace pathmark::command
