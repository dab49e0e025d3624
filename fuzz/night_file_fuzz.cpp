#include "core/night/night_file.h"

#include "fuzz/input.h"

// Any bytes as a night file: opened, and all that it holds read.

namespace pathmark {

void fuzz::execute(const Input& input) {
    const auto path = input.file("x.pmnight");
    for (const char* beside : {"-wal", "-shm"}) {
        std::filesystem::remove(path.string() + beside);
    }
    const auto file = night::NightFile::open(path);
    if (!file) {
        return;
    }
    (void)file->frames();
    (void)file->lights();
    (void)file->tracks();
    (void)file->sweeps();
    (void)file->predictions();
    (void)file->measurements();
    (void)file->sendings();
    (void)file->history();
    (void)file->decided();
    for (const auto& kind : night::kProductKinds) {
        (void)file->products(kind.kind);
    }
}

} // namespace pathmark
