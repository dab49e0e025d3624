#include "core/night/measure_file.h"

#include "core/base/robust.h"
#include "core/calibrate/ceiling.h"
#include "core/detect/detect.h"
#include "core/frame/cell_lean.h"
#include "core/frame/fits_file.h"
#include "core/measure/measure_body.h"
#include "core/night/light_band.h"
#include "core/night/star_sources.h"
#include "core/stack/resample.h"
#include "core/stack/stack_header.h"

#include <algorithm>
#include <cmath>

namespace pathmark::night {
namespace {

constexpr double kUsualBeta = 3.0;
constexpr double kStackWindow = 3.5;  ///< FWHM; its stars are clipped or taken out
constexpr double kComaArcsec = 900.0; ///< stars within a comet's coma and tail are taken off

/// The zero point that a header states: ours, of one unit per second.
std::optional<solve::PhotometricMatch> statedZeroPoint(const frame::Header& header) {
    const auto stated = zeroPointOf(header);
    if (!stated) {
        return std::nullopt;
    }
    solve::PhotometricMatch match;
    match.zeroPoint = stated->value;
    match.band = catalog::bandNamed(stated->band).value_or(catalog::Band::G);
    // What a header does not say: a catalogue's bands agree with the sky's to about so much.
    match.zeroPointError = 0.02;
    return match;
}

} // namespace

Result<MeasurableFile> MeasurableFile::open(const std::filesystem::path& path,
                                            const std::filesystem::path& wcsFolder,
                                            const frame::ReadingRules& rules,
                                            const catalog::StarStore* store) {
    auto solved = readSolvedLight(path, wcsFolder, rules);
    if (!solved) {
        return fail(solved.error());
    }
    MeasurableFile file;
    file.info_ = std::move(solved->info);
    file.middle_ = solved->middle;
    file.picture_.wcs = std::move(solved->wcs);
    file.picture_.exposureSeconds = file.info_.exposureSeconds;
    file.store_ = store;
    file.electrons_ = std::move(solved->loaded.image);
    frame::Header& header = solved->loaded.header;
    if (solved->electronsPerUnit != 1.0) {
        const auto gain = static_cast<float>(solved->electronsPerUnit);
        for (float& v : file.electrons_.pixels()) {
            v *= gain;
        }
        if (const auto stated = header.number("PMZEROPT")) {
            const std::string comment = header.find("PMZEROPT")->comment;
            header.set("PMZEROPT", *stated + 2.5 * std::log10(solved->electronsPerUnit), comment);
        }
    }
    if (stack::isStack(header)) {
        auto reader = frame::FitsReader::open(path);
        auto variance =
            reader ? reader->extension("VARIANCE") : Result<frame::Image>(fail(reader.error()));
        if (variance) {
            file.variance_ = std::move(*variance);
        }
    }
    file.learn(header, store);
    return file;
}

/// What the stars tell, and where there are none, the header.
void MeasurableFile::learn(const frame::Header& header, const catalog::StarStore* store) {
    detect::DetectOptions options;
    options.looksAgain = false; // what is bright tells the form of a star
    options.saturation = calibrate::saturationOf(electrons_, header, info_);
    picture_.saturationElectrons = options.saturation.value_or(1e30);
    picture_.shape = detect::Moffat::round(2.5, kUsualBeta);
    picture_.photometry = statedZeroPoint(header);
    picture_.solutionErrorPixels = header.number(frame::kSolutionErrorKeyword).value_or(0.0);
    const auto detection = detect::detectSources(electrons_, options);
    if (detection) {
        withoutSky_ = detection->sky.subtractFrom(electrons_);
        picture_.noise = detection->sky.typicalNoise();
        spread_ = detection->spread;
        picture_.shape = detection->spread.middle().shape();
        picture_.starTrailX = detection->spread.middle().trailX();
        picture_.starTrailY = detection->spread.middle().trailY();
        for (const detect::Source& source : detection->sources) {
            sources_.push_back(
                {picture_.wcs.toSky({source.x, source.y}), source.flux, source.fluxError});
        }
    } else {
        const detect::Background sky(electrons_);
        withoutSky_ = sky.subtractFrom(electrons_);
        picture_.noise = sky.typicalNoise();
    }
    picture_.noise = std::max(1e-6, picture_.noise);
    if (detection && store != nullptr) {
        const solve::FrameSize size{electrons_.width(), electrons_.height()};
        if (const auto solution =
                solve::refineSolution(*detection, size, middle_, picture_.wcs, 3.0, *store)) {
            picture_.solutionErrorPixels = solution->placeErrorPixels;
            // The band that a header of ours states is the one that the night chose.
            const auto band =
                picture_.photometry ? picture_.photometry->band : bandOf(info_.filter, header);
            if (const auto match = solve::matchPhotometry(
                    *detection, *solution, size, band, info_.exposureSeconds)) {
                picture_.photometry = *match;
            }
        }
    }
    picture_.solutionErrorPixels =
        std::hypot(picture_.solutionErrorPixels, frame::leanError(header));
    learnFromStack(header);
}

void MeasurableFile::learnFromStack(const frame::Header& header) {
    picture_.lightVariance = header.number(stack::kLightVarianceKeyword).value_or(1.0);
    const auto fwhm = header.number(stack::kFwhmKeyword);
    if (fwhm && header.text("OBJECT").value_or("") != "stars") {
        // On a moving target the stars are streaks, or gone.
        spread_.reset();
        picture_.shape =
            detect::Moffat::round(*fwhm, header.number(stack::kBetaKeyword).value_or(kUsualBeta));
        picture_.starTrailX = 0.0;
        picture_.starTrailY = 0.0;
        if (const auto stated = statedZeroPoint(header)) {
            picture_.photometry = *stated;
        }
    }
    if (!variance_.empty()) {
        withoutSky_ = electrons_;
        picture_.windowFwhm = kStackWindow;
        if (picture_.photometry) {
            double& unexplained = picture_.photometry->unexplained;
            unexplained = std::hypot(unexplained, stack::kResamplingLightError);
        }
    }
    rate_ = header.number(stack::kRateKeyword).value_or(0.0);
    angle_ = Angle::degrees(header.number(stack::kAngleKeyword).value_or(0.0));
}

Utc MeasurableFile::timeAt(const SkyPos& place) const {
    const auto pixel = picture_.wcs.toPixel(place);
    return pixel ? middle_.plusSeconds(info_.rowSeconds * pixel->y) : middle_;
}

std::optional<solve::PhotometricMatch> MeasurableFile::photometryAt(const SkyPos& place) const {
    const auto pixel = picture_.wcs.toPixel(place);
    if (!pixel || !picture_.photometry) {
        return picture_.photometry;
    }
    return picture_.photometry->about(*pixel, {withoutSky_.width(), withoutSky_.height()});
}

/// The picture with the noise that it has about a place.
measure::Picture MeasurableFile::pictureAt(const SkyPos& place) const {
    measure::Picture picture = picture_;
    picture.image = &withoutSky_;
    const auto pixel = picture.wcs.toPixel(place);
    picture.photometry = photometryAt(place);
    if (spread_ && pixel) {
        picture.shape = spread_->shape().at(pixel->x, pixel->y);
    }
    if (variance_.empty() || !pixel) {
        return picture;
    }
    std::vector<double> around;
    const int reach = 12;
    const int cx = static_cast<int>(std::lround(pixel->x));
    const int cy = static_cast<int>(std::lround(pixel->y));
    for (int y = cy - reach; y <= cy + reach; ++y) {
        for (int x = cx - reach; x <= cx + reach; ++x) {
            if (variance_.contains(x, y) && std::isfinite(variance_.at(x, y))) {
                const double light = picture.lightVariance *
                                     std::max(0.0, static_cast<double>(withoutSky_.at(x, y)));
                around.push_back(static_cast<double>(variance_.at(x, y)) - light);
            }
        }
    }
    if (!around.empty()) {
        picture.noise = std::sqrt(std::max(1e-12, medianInPlace(std::span(around))));
    }
    return picture;
}

void MeasurableFile::addNeighbours(measure::Target& target, double aroundArcsec) const {
    if (store_ == nullptr) {
        return;
    }
    const Angle reach = Angle::arcsec(aroundArcsec + target.area().reachArcsec());
    target.neighbours = starsBeside(
        picture_,
        *store_,
        {target.lookedFor(), reach, middle_},
        [&](const catalog::Star& star, frame::PixelPos) { return isItself(target, star); });
}

bool MeasurableFile::isItself(const measure::Target& target, const catalog::Star& star) const {
    return target.isPlace &&
           separation(star.place, target.lookedFor()).arcsec() < kItselfFwhm * fwhmArcsec();
}

/// What stands still in a stack trails over the exposure of each frame, whether its motion is given or not.
void MeasurableFile::addMotion(measure::Target& target) const {
    if (rate_ > 0.0 && target.trailSeconds == 0.0) {
        target.xiRateArcsecPerMin = rate_ * std::sin(angle_.radians());
        target.etaRateArcsecPerMin = rate_ * std::cos(angle_.radians());
        target.trailSeconds = info_.exposureSeconds;
    }
}

/// The target with the motion of what stands still and the stars beside it.
measure::Target MeasurableFile::aimed(measure::Target target) const {
    addMotion(target);
    if (variance_.empty()) {
        addNeighbours(target, 0.0);
    }
    return target;
}

Result<measure::Measured> MeasurableFile::measureBody(measure::Target target) const {
    const measure::Picture picture = pictureAt(target.lookedFor());
    return measure::measureBody(picture, aimed(std::move(target)));
}

Result<MeasurableFile::Trail> MeasurableFile::measureTrail(measure::Target target) const {
    const auto pixel = picture_.wcs.toPixel(target.lookedFor());
    if (!pixel) {
        return fail(ErrorId::MeasureOutside, "The place is outside the picture.");
    }
    const measure::Picture picture = pictureAt(target.lookedFor());
    target = aimed(std::move(target));
    const auto found = aimAtTrail(picture, *pixel, picture.exposureSeconds, target);
    if (!found) {
        return fail(found.error());
    }
    auto measured = measure::measureBody(picture, target);
    if (!measured) {
        return fail(measured.error());
    }
    return Trail{*found, std::move(*measured)};
}

Result<measure::FixedLight> MeasurableFile::lightAt(measure::Target target) const {
    const auto pixel = picture_.wcs.toPixel(target.lookedFor());
    if (!pixel) {
        return fail(ErrorId::MeasureOutside, "The place is outside the picture.");
    }
    const measure::Picture picture = pictureAt(target.lookedFor());
    return measure::lightAt(picture, aimed(std::move(target)), *pixel);
}

Result<MeasurableFile::Comet>
MeasurableFile::measureComet(measure::Target target, const measure::CometOptions& options) const {
    if (variance_.empty()) {
        addNeighbours(target, kComaArcsec);
    }
    const measure::Picture picture = pictureAt(target.lookedFor());
    auto measured = measure::measureComet({&electrons_, picture}, target, options);
    if (!measured) {
        return fail(measured.error());
    }
    Comet comet{std::move(*measured), std::nullopt};
    const double extent = comet.measured.extentArcsec / picture.wcs.scaleArcsec();
    const frame::PixelPos nucleus = comet.measured.nucleus.pixel;
    stack::ImageSource source(electrons_);
    const std::vector<calibrate::ProtectedDisc> disc{{nucleus, extent}};
    if (const auto sky = stack::SkyLevels::measure(source, disc)) {
        frame::Image light = electrons_;
        for (int y = 0; y < light.height(); ++y) {
            sky->takeOff(y, light.row(y));
        }
        measure::leaveOutStars(picture, target.neighbours, light);
        if (const auto tail = measure::tailDirection(light, nucleus, extent, picture.noise)) {
            const SkyPos from = picture.wcs.toSky(nucleus);
            const SkyPos to = picture.wcs.toSky({nucleus.x + 10.0 * std::cos(tail->angle),
                                                 nucleus.y + 10.0 * std::sin(tail->angle)});
            const PlanePos way = toTangentPlane(from, to);
            comet.tail = normalised(Angle::radians(std::atan2(way.xi, way.eta)));
        }
    }
    return comet;
}

std::optional<double> MeasurableFile::magnitudeOf(double electrons, const SkyPos& place) const {
    const auto photometry = photometryAt(place);
    if (!photometry || !(electrons > 0.0) || !(picture_.exposureSeconds > 0.0)) {
        return std::nullopt;
    }
    return solve::toMagnitude(*photometry, electrons, picture_.exposureSeconds, solve::kBodyColour);
}

std::optional<double> MeasurableFile::upperLimit(const measure::Target& target) const {
    const auto pixel = picture_.wcs.toPixel(target.lookedFor());
    return pixel ? measure::limitAt(pictureAt(target.lookedFor()), aimed(target), *pixel)
                 : std::nullopt;
}

} // namespace pathmark::night
