#include "desk/evidence/two_sites.h"

#include "core/orbit/place/ephemeris.h"
#include "desk/session/message.h"
#include "desk/session/night_session.h"

#include <QKeyEvent>
#include <QPushButton>
#include <QVBoxLayout>

#include <cmath>

namespace pathmark::desk {

TwoSites::TwoSites(NightSession& session, QWidget* parent)
    : QWidget(parent), session_(session), comparing_(session.jobs(), 1),
      showing_(session.jobs(), 1), site_(new QLineEdit), words_(new QLabel),
      show_(new QPushButton) {
    setObjectName("twoSites");
    site_->setObjectName("otherSite");
    site_->setAccessibleName(tr("Site of the frame with the place held"));
    site_->setPlaceholderText(tr("other site of the place held: code, or lon lat alt"));
    site_->setFocusPolicy(Qt::ClickFocus);
    words_->setObjectName("twoSitesWords");
    words_->setTextFormat(Qt::PlainText);
    words_->setWordWrap(true);
    words_->setTextInteractionFlags(Qt::TextSelectableByMouse);
    show_->setObjectName("showPair");
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->addWidget(site_);
    layout->addWidget(words_);
    layout->addWidget(show_, 0, Qt::AlignLeft);
    hide();
    site_->installEventFilter(this);
}

/// Enter in the line is the line's: elsewhere on this page it keeps the light.
bool TwoSites::eventFilter(QObject* object, QEvent* event) {
    const bool isKey =
        event->type() == QEvent::ShortcutOverride || event->type() == QEvent::KeyPress;
    if (!isKey) {
        return QWidget::eventFilter(object, event);
    }
    const int key = static_cast<QKeyEvent*>(event)->key();
    if (key != Qt::Key_Return && key != Qt::Key_Enter) {
        return QWidget::eventFilter(object, event);
    }
    event->accept();
    if (event->type() == QEvent::KeyPress) {
        site_->clearFocus();
        ask();
    }
    return true;
}

void TwoSites::compare(const std::optional<night::MeasurementRecord>& held,
                       const std::optional<night::MeasurementRecord>& here) {
    const bool isOther = held && here && held->frame != here->frame;
    const bool isSame =
        isPair() && isOther && held_->frame == held->frame && here_->frame == here->frame;
    held_ = isOther ? held : std::nullopt;
    here_ = isOther ? here : std::nullopt;
    setVisible(isPair());
    tell({});
    if (!isSame) {
        showing_.drop();
        shown_ = Shown::This; // the frame in hand comes by itself
    }
    ask();
}

void TwoSites::tell(const QString& words) {
    words_->setText(words);
    words_->setVisible(!words.isEmpty());
}

const night::LightRecord* TwoSites::lightOf(const night::MeasurementRecord& m) const {
    const int place = session_.night()->placeOf(m.frame);
    return place < 0 ? nullptr : &session_.night()->lights[static_cast<std::size_t>(place)];
}

void TwoSites::showNext() {
    switch (shown_) {
    case Shown::This: setShown(Shown::Other); break;
    case Shown::Other: setShown(Shown::Added); break;
    case Shown::Added: setShown(Shown::This); break;
    }
}

void TwoSites::setShown(Shown shown) {
    if (!isPair()) {
        return;
    }
    const night::LightRecord* here = lightOf(*here_);
    const night::LightRecord* other = lightOf(*held_);
    if (here == nullptr || other == nullptr) {
        return;
    }
    shown_ = shown;
    showing_.drop();
    if (shown == Shown::This) {
        session_.showFrame();
        return;
    }
    const auto part = shown == Shown::Other ? night::PairPart::Other : night::PairPart::Added;
    showing_.start(
        [here = *here,
         other = *other,
         part,
         grid = session_.gridOf(session_.currentFrame()),
         stretch = session_.stretch()] { return loadPair(here, other, part, grid, stretch); },
        [this](const Result<std::shared_ptr<const Picture>>& picture) {
            if (picture) {
                session_.showAside(*picture);
            } else {
                shown_ = Shown::This;
                emit session_.failed(message(picture.error()));
            }
        });
}

void TwoSites::ask() {
    const std::string site = site_->text().trimmed().toStdString();
    if (site.empty() || !isPair() || !here_->seen || session_.night() == nullptr) {
        return;
    }
    comparing_.drop();
    comparing_.start(
        [sources = session_.sources(),
         held = *held_,
         here = *here_,
         site,
         body = session_.currentBody()](const Job& job) -> Result<night::SiteParallax> {
            const auto orbits = sources->orbits(job);
            if (!orbits) {
                return fail(orbits.error());
            }
            return night::nightParallax(held, site, here, body, **orbits);
        },
        [this](const Result<night::SiteParallax>& parallax) {
            tell(parallax ? parallaxWords(*parallax) : message(parallax.error()));
        });
}

QString TwoSites::parallaxWords(const night::SiteParallax& seen) {
    const orbit::Parallax& p = seen.parallax;
    QString words =
        tr("Shifted by %1 ± %2″ over %3 km, %4 km of it across: %5 ± %6 au, %7 km away.")
            .arg(p.shiftArcsec, 0, 'f', 3)
            .arg(seen.shiftErrorArcsec, 0, 'f', 3)
            .arg(p.baselineAu * orbit::kKilometresPerAu, 0, 'f', 1)
            .arg(p.baselinePerpendicularAu * orbit::kKilometresPerAu, 0, 'f', 1)
            .arg(p.distanceAu, 0, 'g', 7)
            .arg(seen.distanceErrorAu, 0, 'g', 2)
            .arg(p.distanceAu * orbit::kKilometresPerAu, 0, 'f', 0);
    if (seen.isMotionTakenOff) {
        words +=
            ' ' +
            tr("What the body moved in %1 s is taken off.").arg(seen.differenceSeconds, 0, 'f', 1);
    } else if (std::abs(seen.differenceSeconds) > 1.0) {
        words +=
            ' ' + tr("The exposures are %1 s apart, and no orbit tells what it moved: that is in "
                     "the shift.")
                      .arg(seen.differenceSeconds, 0, 'f', 1);
    }
    if (!seen.isOnLine()) {
        words += ' ' + tr("It is shifted %1° off the direction of the other site: sites, times or "
                          "places do not fit.")
                           .arg(seen.offLine().degrees(), 0, 'f', 0);
    }
    return words;
}

} // namespace pathmark::desk
