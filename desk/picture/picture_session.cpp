#include "desk/picture/picture_session.h"

#include "core/frame/fits_file.h"
#include "core/night/frame_picture.h"
#include "core/picture/picture_file.h"
#include "desk/picture/screen_picture.h"
#include "desk/session/message.h"

#include <algorithm>

namespace pathmark::desk {
namespace {

constexpr int kSmallestSide = 400; ///< pixels of the longer side that no level goes below

picture::ColourPicture halvedPlanes(const picture::ColourPicture& picture) {
    picture::ColourPicture half;
    half.isGrey = picture.isGrey;
    for (std::size_t c = 0; c < 3; ++c) {
        half.planes[c] = night::halved(picture.planes[c]);
    }
    return half;
}

Result<std::shared_ptr<const OpenPicture>> openPicture(const std::filesystem::path& path,
                                                       const QString& title) {
    auto linear = night::readLinear(path);
    if (!linear) {
        return fail(linear.error());
    }
    auto open = std::make_shared<OpenPicture>();
    open->path = path;
    open->title = title;
    open->wcs = linear->wcs;
    open->levels.push_back(std::move(linear->planes));
    while (std::max(open->levels.back().width(), open->levels.back().height()) > kSmallestSide) {
        open->levels.push_back(halvedPlanes(open->levels.back()));
    }
    open->histogram = picture::histogramOf(open->levels.front());
    open->found = picture::stretchFor(open->levels.front(), {});
    return open;
}

} // namespace

PictureSession::PictureSession(NightSession& session, QObject* parent)
    : QObject(parent), session_(session), opening_(session.jobs(), 1), showing_(session.jobs(), 1),
      writing_(session.jobs(), 1) {
    connect(&session_, &NightSession::nightChanged, this, &PictureSession::refresh);
    connect(&session_, &NightSession::bodyChanged, this, &PictureSession::refresh);
    connect(&session_, &NightSession::measurementsChanged, this, [this] {
        // Undone, redone, or kept.
        if (picture_ && look_ != keptLook()) {
            look_ = keptLook();
            emit lookChanged();
            showWhole();
        }
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
    showWhole();
}

picture::Clipped PictureSession::clipped() const {
    const OpenPicture& open = *picture_;
    return picture::clippedBy(open.levels[levelOf(open, kFollowedPixels)], open.stretchOf(look_));
}

void PictureSession::preview(const picture::Look& look) {
    if (!picture_ || look == look_) {
        return;
    }
    look_ = look;
    showing_.drop();
    session_.showAside(
        screenPicture(*picture_, picture_->stretchOf(look_), levelOf(*picture_, kFollowedPixels)));
    emit lookChanged();
}

void PictureSession::showWhole() {
    if (!isWanted_ || !picture_) {
        return;
    }
    showing_.drop();
    showing_.start(
        [open = picture_, stretch = picture_->stretchOf(look_)] {
            return screenPicture(*open, stretch, 0);
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
    writing_.start(
        [open = picture_, stretch = picture_->stretchOf(look_), file] {
            const picture::ColourPicture& linear = open->levels.front();
            const auto header = frame::readFitsHeader(open->path);
            picture::PictureNote note;
            note.object = open->title.toStdString();
            note.time = header ? header->text("DATE-AVG").value_or("") : "";
            note.wcs = open->wcs;
            return picture::writePicture(file, linear, picture::stretched(linear, stretch), note);
        },
        [this, path](const Result<bool>& written) {
            emit session_.notified(written ? tr("Written: %1").arg(path)
                                           : message(written.error()));
        });
}

} // namespace pathmark::desk
