#include "core/night/needs/fetch_needs.h"

#include "core/catalog/star_store.h"

#include <fmt/format.h>

#include <chrono>
#include <map>
#include <set>
#include <string>

namespace pathmark::night {
namespace {

namespace fs = std::filesystem;

/// After so many days a file is asked for again.
int daysKept(DataKind kind) {
    switch (kind) {
    case DataKind::Orbits:
    case DataKind::Comets: return 1;
    case DataKind::EarthOrientation: return 7;
    case DataKind::Sites:
    case DataKind::LeapSeconds: return 30;
    }
    return 1;
}

/// When a service was last asked for a file; a file that was put there by hand has its own age.
bool isFresh(DataKind kind) {
    std::error_code missing;
    const fs::path file = fetchedFile(kind);
    if (!fs::exists(file, missing)) {
        return false;
    }
    auto asked = fs::last_write_time(file.string() + ".fetched", missing);
    if (missing) {
        asked = fs::last_write_time(file, missing);
    }
    return fs::file_time_type::clock::now() - asked < std::chrono::hours(24 * daysKept(kind));
}

/// "http://host:port" of an address.
std::string hostOf(const std::string& address) {
    const auto host = address.find("://");
    return address.substr(
        0, address.find('/', host == std::string::npos ? 0 : host + std::string("://").size()));
}

/// What becomes of a night without a kind of data.
std::string without(DataKind kind) {
    if (const std::string age = ageWords(kind); !age.empty()) {
        return fmt::format("The file that is here is used: {}.", age);
    }
    switch (kind) {
    case DataKind::Orbits: return "Without it no minor planet is known.";
    case DataKind::Comets: return "Without it no comet is known.";
    case DataKind::Sites: return "Without it a site is given by its coordinates.";
    case DataKind::EarthOrientation: return "UT1 is taken as UTC.";
    case DataKind::LeapSeconds: return "The table that ships with the program is used.";
    }
    return {};
}

/// One round of fetching; services that did not answer are remembered.
class Round {
  public:
    Round(const Patience& patience, const Job& job) : patience_(patience), job_(job) {}

    void fetchFile(DataKind kind) {
        if (ends_ || isFresh(kind)) {
            return;
        }
        const std::string* address = addressOf(name(kind));
        if (address == nullptr || isSilent(*address, name(kind), without(kind))) {
            return;
        }
        job_.message(fmt::format("Fetching {} from {}", name(kind), hostOf(*address)));
        const auto fetched = fetchData(kind, *address, fetchedFile(kind), patience_, job_);
        if (!fetched) {
            note(fetched.error(), *address, name(kind), without(kind));
        }
    }

    /// The night is nearly the same without it: what goes wrong is only said.
    void fetchBesides(DataKind kind) {
        const std::size_t before = problems_.size();
        fetchFile(kind);
        for (std::size_t i = before; i < problems_.size(); ++i) {
            job_.message(toMessage(problems_[i]));
        }
        if (!ends_) {
            problems_.erase(problems_.begin() + static_cast<std::ptrdiff_t>(before),
                            problems_.end());
        }
    }

    void fetchField(const catalog::WantedField& field) {
        const std::string* address = ends_ ? nullptr : addressOf(kFieldService);
        catalog::FieldStore store{
            address != nullptr ? *address : "", fetchedStore(), kFetchedCatalog};
        store.timeoutSeconds = patience_.timeoutSeconds;
        store.tries = patience_.tries;
        if (address == nullptr || catalog::holdsField(store, field)) {
            return;
        }
        const std::string title = fmt::format("stars around {:.3f} {:+.3f}",
                                              field.centre.longitude.degrees(),
                                              field.centre.latitude.degrees());
        const std::string words = "The stars that are here are used, if there are any.";
        if (isSilent(*address, title, words)) {
            return;
        }
        job_.message(fmt::format("Fetching {} from {}", title, hostOf(*address)));
        const auto fetched = catalog::fetchPieces(store, field, job_);
        if (!fetched) {
            note(fetched.error(), *address, title, words);
        }
    }

    [[nodiscard]] std::vector<Error> takeProblems() { return std::move(problems_); }

  private:
    const std::string* addressOf(const std::string& what) {
        if (!isRead_) {
            isRead_ = true;
            if (auto read = serviceAddresses()) {
                addresses_ = std::move(*read);
            } else {
                problems_.push_back(read.error());
                ends_ = true;
            }
        }
        const auto found = addresses_.find(what);
        return found == addresses_.end() || found->second.empty() ? nullptr : &found->second;
    }

    bool isSilent(const std::string& address, const std::string& what, const std::string& words) {
        if (!silent_.contains(hostOf(address))) {
            return false;
        }
        problems_.push_back({ErrorId::CatalogNoAnswer,
                             "Not asked for: the service does not answer. " + words,
                             what});
        return true;
    }

    void note(Error error,
              const std::string& address,
              const std::string& what,
              const std::string& words) {
        ends_ = error.id == ErrorId::BaseCancelled || error.id == ErrorId::BaseDiskFull;
        if (error.id == ErrorId::CatalogNoAnswer) {
            silent_.insert(hostOf(address));
        }
        error.detail += " " + words;
        error.subject = what + ", " + address;
        problems_.push_back(std::move(error));
    }

    const Patience& patience_;
    const Job& job_;
    bool isRead_ = false;
    bool ends_ = false;
    std::map<std::string, std::string> addresses_;
    std::set<std::string> silent_; ///< services
    std::vector<Error> problems_;
};

} // namespace

std::vector<Error> fetchNeeds(const NightFacts& facts, const Patience& patience, const Job& job) {
    Round round(patience, job);
    if (facts.fetchesStars()) {
        for (const catalog::WantedField& field : facts.fields()) {
            round.fetchField(field);
        }
    }
    if (facts.fetchesOrbits()) {
        round.fetchFile(DataKind::Orbits);
        round.fetchFile(DataKind::Comets);
    }
    if (facts.fetchesStars() || facts.fetchesOrbits()) {
        round.fetchBesides(DataKind::Sites);
        round.fetchBesides(DataKind::EarthOrientation);
        round.fetchBesides(DataKind::LeapSeconds);
    }
    return round.takeProblems();
}

Result<bool> fetchSiteCodes(const Patience& patience, const Job& job) {
    Round round(patience, job);
    round.fetchFile(DataKind::Sites);
    const auto problems = round.takeProblems();
    return problems.empty() ? Result<bool>(true) : fail(problems.front());
}

} // namespace pathmark::night
