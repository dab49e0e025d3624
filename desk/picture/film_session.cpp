#include "desk/picture/film_session.h"

#include "core/base/atomic_file.h"
#include "core/night/work_folder.h"
#include "core/picture/film_file.h"
#include "desk/picture/screen_picture.h"
#include "desk/session/message.h"

#include <QTemporaryDir>

#include <algorithm>
#include <cmath>
#include <mutex>

namespace pathmark::desk {

/// Pictures as the worker makes them.
struct FilmReel {
    std::mutex guard;
    std::vector<QImage> pictures;
    int wanted = 0;
};

namespace {

constexpr int kPreviewWidth = 960; ///< pixels

/// Reads the lights and hands them on; what is written on the way is gone afterwards.
template <class F>
auto withChannels(const std::vector<std::filesystem::path>& files, const Job& job, const F& use)
    -> decltype(use(night::PictureChannels())) {
    const QTemporaryDir folder;
    if (!folder.isValid()) {
        return fail(writeError(errno, std::filesystem::temp_directory_path()));
    }
    const auto channels = night::readChannels(files, {}, {}, folder.path().toStdString(), job);
    if (channels.channels.empty() && !channels.failures.empty()) {
        return fail(channels.failures.front());
    }
    return use(channels);
}

} // namespace

FilmSession::FilmSession(NightSession& session, QObject* parent)
    : QObject(parent), session_(session), making_(session.jobs(), 1), writing_(session.jobs(), 1) {
    connect(&clock_, &QTimer::timeout, this, &FilmSession::showNext);
    connect(&session_, &NightSession::nightChanged, this, &FilmSession::begin);
    connect(&session_, &NightSession::bodyChanged, this, &FilmSession::begin);
}

FilmSession::~FilmSession() = default;

void FilmSession::setWanted(bool wanted) {
    if (isWanted_ == wanted) {
        return;
    }
    isWanted_ = wanted;
    if (wanted) {
        begin();
    } else {
        making_.drop();
        clock_.stop();
        reel_.reset();
        session_.showFrame();
    }
}

void FilmSession::setSettings(const FilmSettings& settings) {
    if (settings == settings_) {
        return;
    }
    FilmSettings asNow = settings_;
    asNow.framesPerSecond = settings.framesPerSecond;
    asNow.pauseSeconds = settings.pauseSeconds;
    const bool isOnlyPace = asNow == settings;
    settings_ = settings;
    if (isOnlyPace) {
        clock_.setInterval(1000 / std::max(1, settings_.framesPerSecond));
        emit changed();
    } else {
        begin();
    }
}

/// Of the camera that took the frame in hand, solved and not left out, and with the body where there is one.
std::vector<int> FilmSession::lights() const {
    std::vector<int> places;
    const NightSnapshot* night = session_.night();
    const night::LightRecord* example = session_.currentLight();
    if (night == nullptr || example == nullptr) {
        return places;
    }
    const orbit::BodyId& body = session_.currentBody();
    const int count = static_cast<int>(night->lights.size());
    const int first = settings_.first < 0 ? 0 : settings_.first;
    const int last = settings_.last < 0 ? count - 1 : settings_.last;
    for (int i = std::min(first, last); i <= std::max(first, last) && i < count; ++i) {
        const auto k = static_cast<std::size_t>(i);
        const night::LightRecord& light = night->lights[k];
        const bool isAlike = light.width == example->width && light.height == example->height;
        const bool hasBody = body.text().empty() || night->predictionOn(light, body) != nullptr;
        if (isAlike && night->isUsed(k) && hasBody) {
            places.push_back(i);
        }
    }
    return places;
}

std::vector<std::filesystem::path> FilmSession::files() const {
    std::vector<std::filesystem::path> files;
    for (const int i : lights()) {
        files.push_back(session_.night()->lights[static_cast<std::size_t>(i)].calibrated);
    }
    return files;
}

night::FilmWishes FilmSession::wishes() const {
    night::FilmWishes wishes;
    const orbit::BodyId& body = session_.currentBody();
    std::vector<std::pair<Utc, SkyPos>> places;
    for (const int i : lights()) {
        const night::LightRecord& light = session_.night()->lights[static_cast<std::size_t>(i)];
        if (const auto* there = session_.night()->predictionOn(light, body)) {
            places.emplace_back(light.middle, there->sky);
        }
    }
    if (!places.empty()) {
        wishes.isBodyFixed = settings_.holdsBody;
        // Asked for at the middles of the frames alone.
        wishes.target = [places](const Utc& time) -> Result<SkyPos> {
            const auto nearest =
                std::min_element(places.begin(), places.end(), [&](const auto& a, const auto& b) {
                    return std::abs(a.first.secondsSince(time)) <
                           std::abs(b.first.secondsSince(time));
                });
            return nearest->second;
        };
    }
    wishes.running = settings_.running;
    wishes.framesPerSecond = settings_.framesPerSecond;
    wishes.pauseSeconds = settings_.pauseSeconds;
    wishes.canvas.extent = stack::CanvasExtent::Common;
    wishes.canvas.shape = settings_.shape;
    wishes.hasStamp = settings_.hasStamp;
    wishes.marks = settings_.marks;
    const auto& looks = session_.night()->decided->looks;
    if (const auto look = looks.find(body); look != looks.end()) {
        wishes.look = look->second;
    }
    return wishes;
}

void FilmSession::begin() {
    making_.drop();
    reel_.reset();
    if (!isWanted_ || session_.night() == nullptr) {
        return;
    }
    const std::vector<std::filesystem::path> used = files();
    next_ = pausing_ = 0;
    if (used.size() < 2) {
        clock_.stop();
        state_ = tr("A film is made of two solved frames or more of one camera, with the body in "
                    "hand on them. Run the night (Ctrl+R), or take another body.");
        emit changed();
        return;
    }
    state_.clear();
    reel_ = std::make_shared<FilmReel>();
    reel_->wanted = static_cast<int>(used.size());
    night::FilmWishes small = wishes();
    const int width = session_.currentLight()->width;
    small.canvas.scale = std::max(1.0, static_cast<double>(width) / kPreviewWidth);
    making_.start(
        [reel = reel_, used, small](const Job& job) {
            return withChannels(used, job, [&](const night::PictureChannels& channels) {
                return night::makeFilmPictures(
                    channels,
                    small,
                    [&](const picture::ColourPicture& seen, const Utc&) -> Result<bool> {
                        const std::scoped_lock lock(reel->guard);
                        reel->pictures.push_back(screenImage(seen));
                        return true;
                    },
                    job);
            });
        },
        [this](const Result<bool>& done) {
            state_ = done ? QString() : message(done.error());
            emit changed();
        });
    clock_.start(1000 / std::max(1, settings_.framesPerSecond));
    emit changed();
}

std::pair<int, int> FilmSession::made() const {
    if (!reel_) {
        return {0, 0};
    }
    const std::scoped_lock lock(reel_->guard);
    return {static_cast<int>(reel_->pictures.size()), reel_->wanted};
}

void FilmSession::setPlaying(bool playing) {
    isPlaying_ = playing;
    emit changed();
}

QString FilmSession::title() const {
    const std::string& body = session_.currentBody().text();
    return body.empty() ? tr("Film of the stars")
                        : tr("Film of %1").arg(QString::fromStdString(body));
}

/// The next picture on the Sky: round and round those that are there.
void FilmSession::showNext() {
    if (!isPlaying_ || !reel_ || pausing_-- > 0) {
        return;
    }
    auto picture = std::make_shared<Picture>();
    int count = 0;
    {
        const std::scoped_lock lock(reel_->guard);
        count = static_cast<int>(reel_->pictures.size());
        if (count == 0) {
            return;
        }
        next_ = next_ >= count ? 0 : next_;
        picture->display = reel_->pictures[static_cast<std::size_t>(next_)];
    }
    const int pause =
        static_cast<int>(std::lround(settings_.pauseSeconds * settings_.framesPerSecond));
    pausing_ = next_ == 0 || next_ + 1 == count ? pause : 0;
    picture->title = title();
    picture->hasMarks = false;
    picture->values = frame::Image(picture->display.width(), picture->display.height());
    session_.showAside(std::move(picture));
    const bool isNew = ++next_ == count;
    if (isNew || count < reel_->wanted) {
        emit changed();
    }
}

void FilmSession::write(const QString& path) {
    const std::filesystem::path file = path.toStdString();
    if (!picture::isFilmName(file)) {
        emit session_.notified(tr("A film is written as .mp4, .webm or .gif."));
        return;
    }
    const auto used = files();
    const night::FilmWishes whole = wishes();
    writing_.start(
        [used, whole, file](const Job& job) {
            return withChannels(used, job, [&](const night::PictureChannels& channels) {
                return night::makeFilm(channels, whole, file, job);
            });
        },
        [this, path](const Result<night::FilmMade>& made) {
            emit session_.notified(made ? tr("Written: %1").arg(path) : message(made.error()));
            emit written(path);
            emit changed();
        });
    emit changed();
}

} // namespace pathmark::desk
