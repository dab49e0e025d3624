#pragma once

#include "desk/session/night_snapshot.h"

namespace pathmark::desk {

/// True for the names of lists that 'pathmark archive' writes: .csv, .vot, .xml.
bool isArchiveList(const std::filesystem::path& path);

/// The frames and bodies of a list of an archive, as a night of many nights. Frames that are gone stand on the
/// Ribbon all the same.
///
/// Errors   frame.not_readable, identify.bad_archive
Result<std::shared_ptr<const NightSnapshot>> readArchiveList(const std::filesystem::path& path);

} // namespace pathmark::desk
