#pragma once

#include "core/base/result.h"
#include "core/frame/frame_info.h"

#include <filesystem>
#include <map>
#include <string>
#include <vector>

namespace pathmark::orbit {

/// An entry of a list of observatory codes.
struct ListedSite {
    frame::Site site;      ///< place by parallax constants
    bool hasPlace = false; ///< false for spacecraft and roving observers
    std::string title;
};

/// Observatory codes from their public list, and the observer's own.
class SiteCodes {
  public:
    /// Reads the public list: code in columns 1 to 3, east longitude in 5 to 13, rho cos phi' in 14 to 21, rho sin phi' in
    /// 22 to 30, then the name; lines of HTML and the head are passed over. Adds to what is there; a code read again
    /// replaces.
    ///
    /// Errors   orbit.not_readable  missing, or no line of it is a site
    Result<int> read(const std::filesystem::path& path);

    /// The observer's own site, which counts before the lists.
    void add(const frame::Site& site, const std::string& title);

    /// Errors   orbit.unknown_site  no list has the code, or the code has no place on the ground
    [[nodiscard]] Result<frame::Site> find(const std::string& code) const;

    [[nodiscard]] const std::map<std::string, ListedSite>& sites() const { return sites_; }

  private:
    std::map<std::string, ListedSite> sites_;
};

/// One line of the public list.
std::string toListLine(const ListedSite& site);

} // namespace pathmark::orbit
