#include "core/night/known_sites.h"

#include "core/night/data_files.h"

#include <vector>

namespace pathmark::night {

namespace fs = std::filesystem;

Result<orbit::SiteCodes> knownSites(std::span<const fs::path> named) {
    std::vector<fs::path> lists(named.begin(), named.end());
    std::error_code status;
    if (lists.empty() && fs::exists(observersSiteCodes(), status)) {
        lists.push_back(observersSiteCodes());
    }
    orbit::SiteCodes codes;
    for (const fs::path& list : lists) {
        if (auto read = codes.read(list); !read) {
            return fail(read.error());
        }
    }
    return codes;
}

} // namespace pathmark::night
