#include "command/temporary_folder.h"

#include <cstdlib>
#include <string>

namespace pathmark::command {

Result<TemporaryFolder> TemporaryFolder::make() {
    std::error_code failure;
    const auto parent = std::filesystem::temp_directory_path(failure);
    std::string name = (parent / "pathmark-XXXXXX").string();
    if (failure || mkdtemp(name.data()) == nullptr) {
        return fail(ErrorId::BaseCannotWrite,
                    "No folder for passing files can be made; set TMPDIR to one that has room.",
                    name);
    }
    TemporaryFolder made;
    made.folder_ = std::make_unique<night::WorkFolder>(name);
    return made;
}

} // namespace pathmark::command
