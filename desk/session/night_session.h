#pragma once

#include "core/night/decisions.h"
#include "core/night/night_sources.h"
#include "core/night/run_night.h"
#include "core/night/watch/watch_news.h"
#include "desk/jobs/job_lane.h"
#include "desk/session/first_looks.h"
#include "desk/session/known_facts.h"
#include "desk/session/night_snapshot.h"
#include "desk/session/picture.h"

#include <QHash>
#include <QObject>
#include <QSet>

#include <functional>
#include <memory>
#include <vector>

namespace pathmark::desk {

/// The night that is open: what is in hand, the pictures around it, the run that is going on. Everything slow is done
/// on workers; results come back by queued calls, and those of a job that is no longer wanted are dropped.
class NightSession : public QObject {
    Q_OBJECT

  public:
    explicit NightSession(QObject* parent = nullptr);
    ~NightSession() override; ///< decisions that were made are stored first

    [[nodiscard]] const NightSnapshot* night() const { return snapshot_.get(); }

    [[nodiscard]] const std::shared_ptr<const NightSnapshot>& snapshot() const { return snapshot_; }

    /// What the recipe of the night that is open names; a worker may ask it, and outlive the night.
    [[nodiscard]] const std::shared_ptr<night::KeptSources>& sources() const { return sources_; }

    /// The workers of the window.
    [[nodiscard]] JobRunner& jobs() { return jobs_; }

    /// What was asked for: a folder, a night file or a list of an archive.
    [[nodiscard]] const QString& opened() const { return opened_; }

    [[nodiscard]] int currentFrame() const { return frame_; }

    /// The light in hand; null: none.
    [[nodiscard]] const night::LightRecord* currentLight() const;

    [[nodiscard]] const orbit::BodyId& currentBody() const { return body_; }

    /// What undo() would take back, and redo() make again; empty: nothing.
    [[nodiscard]] QString nextUndo() const;
    [[nodiscard]] QString nextRedo() const;

    [[nodiscard]] bool isRunning() const { return run_.isBusy(); }

    /// Whether the folder is watched as it fills; a watch is a run that goes on.
    [[nodiscard]] bool isWatching() const { return isWatching_; }

    [[nodiscard]] bool showsStack() const { return showsStack_; }

    struct StackInHand {
        std::filesystem::path path;
        QString title;
    };

    /// The stack that the Sky shows where it shows one, and what it is: of the body in hand the nearest in time, else that on the stars; empty: none.
    [[nodiscard]] StackInHand stackInHand() const;

    [[nodiscard]] Stretch stretch() const { return stretch_; }

    /// The grid that the frame in hand is shown on: that of the first solved frame of its series.
    [[nodiscard]] std::optional<stack::PixelGrid> gridOf(int frame) const;

    /// The measurements of the body in hand.
    [[nodiscard]] Measurements currentMeasurements() const;

    /// What a night without a recipe of its own is run with.
    [[nodiscard]] KnownFacts& knownFacts() { return known_; }

  public slots:
    /// Opens another night. A run of the one before is stopped; what it finished is kept.
    void open(const QString& folderOrNight);

    /// Runs the night. Where it has no recipe and something is known to the observer alone, factsAsked() is told first, once.
    void run();
    void stop();

    /// Begins to watch the folder as it fills, or stops.
    void watch();
    void setFrame(int index);
    void step(int by);
    void setBody(const pathmark::orbit::BodyId& body);
    void setShowsStack(bool shows);

    /// The picture that belongs there, after another was shown aside.
    void showFrame() { wantPicture(); }

    /// The next map of the stack: light, noise, coverage, what was clipped.
    void nextStackMap();
    void setBrightness(int brightness);
    void setRecipe(const QString& path);

    /// Makes decisions together. They are seen at once, stored in the night file's history on a worker, and can be undone, after a
    /// restart too.
    void decide(const pathmark::night::Act& act);

    /// Takes back the latest act of this night, or makes the one undone last again.
    void undo();
    void redo();

    /// Keeps, parks or drops a measurement.
    void judge(const std::string& id, night::MeasurementState state, const QString& reason = {});
    void toggleExcluded(int frame);

    /// Leaves several frames out as one decision, and says by what rule.
    void leaveOut(const std::vector<int>& frames, const QString& rule);

    /// Another master for a role of a series, or none; nullopt for `chosen` takes it back. The next run uses it.
    void decideMatch(std::size_t series,
                     pathmark::calibrate::Role role,
                     const std::optional<calibrate::Override>& chosen);

    /// What is done about the background of the lights. The next run does it.
    void decideBackground(const pathmark::night::BackgroundChoice& choice);

    /// A disc of a frame that is never taken for sky; nullopt: none. Pixels of the camera's own file.
    void protectDisc(int frame, const std::optional<calibrate::ProtectedDisc>& disc);

    /// One stack of the frames of a series from one to another; the bracket that a frame is in taken away.
    void bracketStack(int first, int last);
    void dropBracket(int index);

    /// A bracket begins at the frame in hand, or ends there where one was begun.
    void beginOrEndBracket();

    /// On what motion the frames of a series are added for the body in hand; nullopt: its orbit's.
    void addOnMotion(const pathmark::night::SeriesId& series,
                     const std::optional<night::BeyondOrbit>& beyond);

    /// What the frames of a group are, whatever their headers say.
    void setKind(std::size_t group, pathmark::frame::FrameKind kind);

    /// An observation taken out of the fit of its body's orbit, or back in.
    void switchObservation(const std::string& id, bool off);

    void setFrameByPath(const QString& path);
    void setFrameOf(const pathmark::night::FrameId& frame);

    /// Shows a picture that was made elsewhere, until another is wanted.
    void showAside(std::shared_ptr<const pathmark::desk::Picture> picture);

    /// The frame in hand as it came from the camera, while a key is held.
    void setShowsRaw(bool shows);

    /// The frame in hand on its own pixels instead of the grid of its series.
    void setShowsOwnPixels(bool shows);

    /// Waits until every decision is in the night file.
    void finishStoring();

  signals:
    void nightChanged();
    void frameChanged(int index);
    void bodyChanged();
    void measurementsChanged();
    void observationsSwitched();
    void bracketStarted(int index); ///< -1: it was ended

    /// Lights that no run has calibrated were looked at: their quality is known, roughly.
    void lightsLookedAt();
    void pictureChanged(std::shared_ptr<const pathmark::desk::Picture> picture);
    void runningChanged(bool running);

    /// A candidate of a sweep has turned up in the run that is going on.
    void sweptFound(const pathmark::night::SweptBody& body);

    /// Something that only the observer can tell is not known.
    void factsAsked();

    /// Something is new in the folder that is watched.
    void newsTold(const QString& words);

    void progressed(const QString& stage, int done, int total, double secondsLeft);
    void notified(const QString& message);
    void failed(const QString& message);

  private:
    void refresh();

    /// What a run is to be prepared with first; nothing where its recipe stands.
    [[nodiscard]] std::optional<night::PrepareRequest> preparation() const;
    [[nodiscard]] night::RunOptions runOptions();
    void takeNews(const night::WatchEvent& event);
    void sayWatching();
    void takeSnapshot(std::shared_ptr<const NightSnapshot> snapshot);
    void wantPicture();
    void showLooks(const std::vector<LookedAt>& lights);
    void goToBody(); ///< to a frame that shows the body in hand, where this one does not
    void loadWanted();
    [[nodiscard]] LightFile lightFile(int index) const;
    void loadFrame(int index);
    void keep(int index, const std::shared_ptr<const Picture>& picture);
    void forgetPictures();
    void loadRawFrame();

    /// Loads a picture on a worker and shows it, unless by then another is wanted.
    void loadAside(std::function<Result<std::shared_ptr<const Picture>>()> load,
                   std::function<bool()> isWanted);

    /// Decides about lights of a night that has not run: their files are read first, on a worker.
    void decideAboutFiles(std::vector<std::filesystem::path> files,
                          std::function<night::Act(const std::vector<night::FrameId>&)> act);
    void
    leaveOut(const std::vector<int>& frames, bool out, const QString& rule, const QString& words);
    [[nodiscard]] bool keepsDecisions();

    /// Whether a frame can be in a bracket; says why where it cannot.
    [[nodiscard]] bool keepsBrackets(int index);

    /// Goes one act back or forth in the history, in the snapshot and in the night file.
    void turn(std::optional<night::Act> (*inSnapshot)(NightSnapshot&),
              Result<std::vector<night::Act>> (night::NightFile::*inFile)(int),
              const QString& nothing,
              const QString& words);

    /// Shows what a decision made of the night.
    void takeDecided(std::shared_ptr<const NightSnapshot> after);

    /// Does to the night file, on a worker, what was done to the snapshot.
    void store(std::function<Result<bool>(night::NightFile&)> change);
    void loadBodyStack();

    /// The stack on the stars that the frame in hand is in, or the first of its series; empty where there is none.
    [[nodiscard]] std::filesystem::path starStack() const;
    void loadOwnPixels();

    JobRunner jobs_;
    KnownFacts known_;
    bool isWatching_ = false;
    QStringList news_;      ///< the latest of the watch
    bool hasAsked_ = false; ///< for facts of the night that is open
    JobLane reading_;       ///< of the night
    JobLane run_;
    JobLane storing_; ///< of decisions
    JobLane ahead_;   ///< pictures of frames
    JobLane aside_;   ///< other pictures
    FirstLooks looks_;
    std::shared_ptr<const NightSnapshot> snapshot_;
    std::shared_ptr<night::KeptSources> sources_; ///< null: no night is open
    QString opened_;
    int frame_ = -1;
    int direction_ = 1; ///< of the latest step
    orbit::BodyId body_;
    night::FrameId bracketStart_; ///< known while a bracket was begun
    bool showsStack_ = false;
    StackMap stackMap_ = StackMap::Light;
    bool showsRaw_ = false;
    bool showsOwnPixels_ = false;
    Stretch stretch_;
    int decisions_ = 0; ///< how many were made here
    QHash<int, std::shared_ptr<const Picture>> cache_;
    QSet<int> loading_;
    QSet<int> unreadable_; ///< frames whose picture could not be read
};

} // namespace pathmark::desk
