#include "desk/picture/picture_session.h"

#include "core/frame/fits_file.h"
#include "core/night/frame_picture.h"
#include "desk/picture/screen_picture.h"
#include "desk/session/message.h"

#include <algorithm>
#include <set>

namespace pathmark::desk {
namespace {

constexpr int kSmallestSide = 400; ///< pixels of the longer side that no level goes below

picture::ColourPicture halvedPlanes(const picture::ColourPicture& picture) {
    picture::ColourPicture half;
    half.isGrey = picture.isGrey;
    for (std::size_t c = 0; c < 3 && !picture.planes[c].empty(); ++c) {
        half.planes[c] = night::halved(picture.planes[c]);
    }
    return half;
}

picture::LayeredPicture halved(const picture::LayeredPicture& picture) {
    picture::LayeredPicture half;
    half.whole = halvedPlanes(picture.whole);
    half.stars = halvedPlanes(picture.stars);
    half.average = picture.average;
    half.recorded = picture.recorded;
    half.noise = picture.noise;
    for (std::size_t c = 0; c < 3; ++c) { // means of four
        half.noise.noise[c] *= 0.5;
        half.noise.lightVariance[c] *= 0.25;
    }
    return half;
}

Result<std::shared_ptr<const OpenPicture>> openPicture(const std::filesystem::path& path,
                                                       const QString& title) {
    auto linear = night::readLinear(path);
    const auto header = frame::readFitsHeader(path);
    if (!linear || !header) {
        return fail(!linear ? linear.error() : header.error());
    }
    auto open = std::make_shared<OpenPicture>();
    open->path = path;
    open->title = title;
    open->note = {title.toStdString(),
                  header->text("DATE-AVG").value_or(""),
                  header->text("PMPLANES").value_or(""),
                  linear->wcs};
    open->linear = std::move(*linear);
    open->colours = night::readColours(night::coloursBeside(path));
    open->work();
    return open;
}

} // namespace

void OpenPicture::work() {
    const auto sideOf = [](const picture::LayeredPicture& level) {
        return std::max(level.whole.width(), level.whole.height());
    };
    while (sideOf(level(levels() - 1)) > kSmallestSide) {
        smaller.push_back(halved(level(levels() - 1)));
    }
    const std::size_t followed = levelOf(*this, kFollowedPixels);
    for (std::size_t k = 0; k < levels(); ++k) {
        smoothings.push_back(k < followed ? nullptr
                                          : std::make_shared<const picture::Smoothing>(
                                                level(k).comet(), level(k).noise));
    }
    histogram = picture::histogramOf(linear.layers.whole);
    found = picture::stretchFor(linear.layers.whole, {});
}

PictureSession::PictureSession(NightSession& session, QObject* parent)
    : QObject(parent), session_(session), opening_(session.jobs(), 1), showing_(session.jobs(), 1),
      writing_(session.jobs(), 1) {
    connect(&session_, &NightSession::nightChanged, this, &PictureSession::refresh);
    connect(&session_, &NightSession::bodyChanged, this, &PictureSession::refresh);
    connect(&session_, &NightSession::measurementsChanged, this, [this] {
        takeDecided(); // undone, redone, or kept
    });
    connect(&session_, &NightSession::frameChanged, this, [this] { showWhole(); });
}

void PictureSession::setWanted(bool wanted) {
    if (isWanted_ == wanted) {
        return;
    }
    isWanted_ = wanted;
    if (wanted) {
        refresh();
        showWhole();
    } else {
        showing_.drop();
        session_.showFrame();
    }
}

picture::Look PictureSession::keptLook() const {
    const auto& looks = session_.night()->decided->looks;
    const auto kept = looks.find(body_);
    return kept == looks.end() ? picture::Look() : kept->second;
}

night::PictureMaking PictureSession::keptMaking() const {
    const auto& makings = session_.night()->decided->makings;
    const auto kept = makings.find(body_);
    return kept == makings.end() ? night::PictureMaking() : kept->second;
}

void PictureSession::takeDecided() {
    if (!picture_) {
        return;
    }
    const bool isNewMaking = making_ != keptMaking();
    if (look_ == keptLook() && !isNewMaking) {
        return;
    }
    look_ = keptLook();
    making_ = keptMaking();
    emit lookChanged();
    if (isNewMaking) {
        emit makingChanged();
    }
    showWhole();
}

std::vector<std::string> PictureSession::filters() const {
    std::set<std::string> names;
    if (session_.night() != nullptr) {
        for (const night::LightRecord& light : session_.night()->lights) {
            // The planes of a colour camera are what they are.
            if (!light.mosaic && session_.night()->predictionOn(light, body_) != nullptr) {
                names.insert(light.filter);
            }
        }
    }
    return {names.begin(), names.end()};
}

void PictureSession::remake(const night::PictureMaking& making) {
    if (!picture_ || making == making_) {
        return;
    }
    const bool isOwn = making == night::PictureMaking();
    session_.decide(
        {tr("%1: how its picture is joined").arg(picture_->title).toStdString(),
         {night::SetPictureMaking{body_, isOwn ? std::nullopt : std::optional(making)}}});
}

void PictureSession::showSky(bool shown) {
    if (showsSky_ != shown) {
        showsSky_ = shown;
        showWhole();
    }
}

void PictureSession::refresh() {
    if (!isWanted_ || session_.night() == nullptr) {
        return;
    }
    const auto& pictures = session_.night()->pictures;
    if (pictures.empty()) {
        opening_.drop();
        picture_.reset();
        path_.clear();
        state_ =
            tr("Once the night has run (Ctrl+R), the stars and the comet of its frames are joined "
               "in a picture here. A comet must be among its bodies, on four frames or more of a "
               "filter.");
        emit changed();
        return;
    }
    const auto own = pictures.find(session_.currentBody());
    const auto& [body, path] = own != pictures.end() ? *own : *pictures.begin();
    if (path != path_) {
        open(body, path);
    }
}

void PictureSession::open(const orbit::BodyId& body, const std::filesystem::path& path) {
    opening_.drop();
    body_ = body;
    path_ = path;
    picture_.reset();
    look_ = keptLook();
    making_ = keptMaking();
    state_ = tr("Reading the picture …");
    emit changed();
    opening_.start(
        [path, title = QString::fromStdString(body.text())] { return openPicture(path, title); },
        [this](Result<std::shared_ptr<const OpenPicture>> picture) { take(std::move(picture)); });
}

void PictureSession::take(Result<std::shared_ptr<const OpenPicture>> picture) {
    if (picture) {
        picture_ = std::move(*picture);
        state_.clear();
    } else {
        path_.clear();
        state_ = message(picture.error());
    }
    emit changed();
    emit lookChanged();
    emit makingChanged();
    showWhole();
}

picture::Clipped PictureSession::clipped() const {
    const OpenPicture& open = *picture_;
    return picture::clippedBy(open.level(levelOf(open, kFollowedPixels)).whole,
                              open.stretchOf(look_));
}

void PictureSession::preview(const picture::Look& look) {
    if (!picture_ || look == look_) {
        return;
    }
    look_ = look;
    showing_.drop();
    session_.showAside(screenPicture(*picture_, look_, levelOf(*picture_, kFollowedPixels)));
    emit lookChanged();
}

void PictureSession::showWhole() {
    if (!isWanted_ || !picture_) {
        return;
    }
    showing_.drop();
    showing_.start(
        [open = picture_, look = look_, making = making_, showsSky = showsSky_] {
            return showsSky ? skyPicture(*open, making) : screenPicture(*open, look, 0);
        },
        [this](std::shared_ptr<const Picture> picture) { session_.showAside(std::move(picture)); });
}

void PictureSession::keep() {
    if (!picture_ || look_ == keptLook()) {
        return;
    }
    const bool isOwn = look_ == picture::Look();
    session_.decide({tr("%1: how its picture is shown").arg(picture_->title).toStdString(),
                     {night::SetLook{body_, isOwn ? std::nullopt : std::optional(look_)}}});
    showWhole();
}

void PictureSession::reset() {
    preview({});
    keep();
}

void PictureSession::write(const QString& path) {
    if (!picture_) {
        return;
    }
    const std::filesystem::path file = path.toStdString();
    if (!picture::isPictureName(file)) {
        emit session_.notified(tr("A picture is written as .png, .tif or .fits."));
        return;
    }
    writing_.start([open = picture_,
                    look = look_,
                    file] { return night::writeSeen(file, open->linear, look, open->note); },
                   [this, path](const Result<bool>& written) {
                       emit session_.notified(written ? tr("Written: %1").arg(path)
                                                      : message(written.error()));
                   });
}

} // namespace pathmark::desk
