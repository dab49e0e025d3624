#pragma once

#include "standin/catalog_service.h"

namespace pathmark::standin {

struct SurveyOptions {
    std::filesystem::path stars; ///< CSV with the archive's column names; moved to the epoch
    double epoch = 1975.0;       ///< Julian year of its exposures
    int order = 7;               ///< of the finest tiles: 3.2 arcsec a pixel, 1.6 at 8
    int tileWidth = 512;
    double fwhmArcsec = 5.0;
    double faintestG = 20.0; ///< where a star stands 5 times above the noise
    bool galactic = false;
    std::string formats = "fits png"; ///< as its properties say
    int port = 0;
    Fault fault = Fault::None;
};

/// A made-up sky survey in the HiPS layout on the loopback: the stars of a catalogue as they stood at another epoch, drawn when they are
/// asked for.
class SurveyService {
  public:
    /// Starts to listen; throws std::runtime_error where it cannot.
    explicit SurveyService(const SurveyOptions& options);
    ~SurveyService();
    SurveyService(const SurveyService&) = delete;
    SurveyService& operator=(const SurveyService&) = delete;

    /// "http://127.0.0.1:PORT/survey"
    [[nodiscard]] std::string address() const;

    /// Requests that came in.
    [[nodiscard]] int requests() const;

    /// Serves until another thread or a signal ends the program.
    void wait();

  private:
    struct State;
    std::unique_ptr<State> state_;
};

} // namespace pathmark::standin
