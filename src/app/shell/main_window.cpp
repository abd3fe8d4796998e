#include "app/shell/main_window.h"

#include <QApplication>
#include <QClipboard>
#include <QCloseEvent>
#include <QDateTime>
#include <QDesktopServices>
#include <QDragEnterEvent>
#include <QFileInfo>
#include <QHBoxLayout>
#include <QLabel>
#include <QMenu>
#include <QMimeData>
#include <QPointer>
#include <QProgressBar>
#include <QPushButton>
#include <QSettings>
#include <QShortcut>
#include <QStackedWidget>
#include <QStyle>
#include <QTimer>
#include <QVBoxLayout>
#include <algorithm>
#include <utility>

#include "app/curve/curve_station.h"
#include "app/findings/findings_panel.h"
#include "app/finish/finish_station.h"
#include "app/plot/lanes_plot.h"
#include "app/reading/import_list.h"
#include "app/reading/import_preview.h"
#include "app/shelf/shelf.h"
#include "app/shell/battery_card.h"
#include "app/shell/data_export.h"
#include "app/shell/help_page.h"
#include "app/shell/main_window_text.h"
#include "app/shell/start_screen.h"
#include "app/shell/station_bar.h"
#include "app/strength/strength_station.h"

namespace nk {

MainWindow::MainWindow(std::unique_ptr<BenchBook> book, Dialogs& dialogs, QWidget* parent)
    : QMainWindow(parent),
      book_(std::move(book)),
      dialogs_(dialogs),
      preferences_(Preferences::load()) {
    present(preferences_);
    setWindowTitle(tr("Narrow Knee"));
    setAcceptDrops(true);
    setMinimumSize(900, 560);
    resize(1280, 800);
    auto* root = new QWidget(this);
    auto* rows = new QVBoxLayout(root);
    rows->setContentsMargins(0, 0, 0, 0);
    rows->setSpacing(0);
    bar_ = new StationBar(root);
    rows->addWidget(bar_);

    auto* columns = new QHBoxLayout;
    columns->setSpacing(0);
    shelf_ = new Shelf(root);
    columns->addWidget(shelf_);
    auto* centre = new QVBoxLayout;
    centre->setContentsMargins(0, 0, 0, 0);
    inline_ = new QWidget(root);
    inline_->setObjectName("inlineBar");
    inline_->setAttribute(Qt::WA_StyledBackground);
    auto* inlineRow = new QHBoxLayout(inline_);
    inlineRow->setContentsMargins(12, 6, 6, 6);
    inlineText_ = new QLabel(inline_);
    inlineText_->setObjectName("inlineText");
    inlineText_->setWordWrap(true);
    inlineText_->setTextFormat(Qt::PlainText);
    inlineText_->setTextInteractionFlags(Qt::TextSelectableByMouse);
    auto* close = new QPushButton(tr("Close"), inline_);
    close->setProperty("role", "link");
    inlineRow->addWidget(inlineText_, 1);
    inlineRow->addWidget(close);
    auto* inlineOuter = new QHBoxLayout;
    inlineOuter->setContentsMargins(12, 8, 12, 0);
    inlineOuter->addWidget(inline_);
    centre->addLayout(inlineOuter);
    inline_->hide();
    connect(close, &QPushButton::clicked, this, &MainWindow::hideBar);
    middle_ = new QStackedWidget(root);
    start_ = new StartScreen(middle_);
    middle_->addWidget(start_);
    curve_ = new CurveStation(middle_);
    addStation(curve_, tr("Curve"), tr("what happened?"));
    addStation(new FinishStation(middle_), tr("Finish"), tr("did it stop in time?"));
    auto* strength = new StrengthStation(middle_);
    addStation(strength, tr("Strength"), tr("how strong is it?"));
    bindBook();
    centre->addWidget(middle_, 1);
    columns->addLayout(centre, 1);
    findings_ = new FindingsPanel(root);
    columns->addWidget(findings_);
    rows->addLayout(columns, 1);

    auto* status = new QWidget(root);
    status->setObjectName("statusLine");
    status->setAttribute(Qt::WA_StyledBackground);
    status->setFixedHeight(32);
    auto* line = new QHBoxLayout(status);
    line->setContentsMargins(20, 0, 14, 0);
    ruler_ = new QLabel(status);
    ruler_->setObjectName("ruler");
    ruler_->setAccessibleName(tr("Ruler"));
    pins_ = new QLabel(status);
    pins_->setObjectName("pins");
    pins_->setProperty("role", "muted");
    task_ = new QLabel(status);
    task_->setObjectName("task");
    progress_ = new QProgressBar(status);
    progress_->setFixedWidth(140);
    progress_->setRange(0, 1000);
    progress_->setTextVisible(false);
    cancel_ = new QPushButton(tr("Cancel"), status);
    cancel_->setObjectName("cancelWork");
    cancel_->setProperty("role", "link");
    line->addWidget(ruler_, 1);
    line->addWidget(pins_);
    line->addWidget(task_);
    line->addWidget(progress_);
    line->addWidget(cancel_);
    rows->addWidget(status);
    setCentralWidget(root);
    for (QWidget* w : {static_cast<QWidget*>(task_), static_cast<QWidget*>(progress_),
                       static_cast<QWidget*>(cancel_)})
        w->hide();

    for (Job* job : {&work_, &load_, &changer_, &upkeep_})
        connect(job, &Job::failed, this, [this](const QString& words) { say(words, true); });
    connect(&work_, &Job::progressed, this,
            [this](double f) { progress_->setValue(static_cast<int>(1000 * f)); });
    connect(&work_, &Job::runningChanged, this, [this](bool on) {
        for (QWidget* w : {static_cast<QWidget*>(task_), static_cast<QWidget*>(progress_),
                           static_cast<QWidget*>(cancel_)})
            w->setVisible(on);
        if (on) progress_->setValue(0);
    });
    connect(cancel_, &QPushButton::clicked, this, [this] {
        work_.cancel();
        queue_.clear();
        say(tr("Cancelled. Nothing was changed."));
        refreshShelf();
        Q_EMIT importFinished(false);
    });
    connect(start_, &StartScreen::openRequested, this,
            [this] { openFiles(dialogs_.openLogs(this)); });
    connect(start_, &StartScreen::pasteRequested, this, &MainWindow::pasteTable);
    connect(start_, &StartScreen::demoRequested, this, &MainWindow::loadDemo);
    connect(shelf_, &Shelf::addRequested, this, [this] { openFiles(dialogs_.openLogs(this)); });
    connect(shelf_, &Shelf::recordingChosen, this, [this](qlonglong id) { chooseRecording(id); });
    connect(shelf_, &Shelf::batteryEditRequested, this, [this](qlonglong id) { editBattery(id); });
    connect(shelf_, &Shelf::recordingMenuRequested, this,
            [this](qlonglong id, const QPoint& p) { recordingMenu(id, p); });
    connect(shelf_, &Shelf::batteryMenuRequested, this,
            [this](qlonglong id, const QPoint& p) { batteryMenu(id, p); });
    connect(bar_, &StationBar::stationChosen, this, &MainWindow::setStation);
    connect(findings_, &FindingsPanel::evidenceRequested, this, &MainWindow::showFinding);
    connect(findings_, &FindingsPanel::actionRequested, this, &MainWindow::takeAction);
    connect(findings_, &FindingsPanel::sheetRequested, this, &MainWindow::saveSheet);
    buildMenu();
    watch_ = new QTimer(this);
    watch_->setInterval(2000);
    connect(watch_, &QTimer::timeout, this, &MainWindow::watchBook);
    watch_->start();
    rememberBook();
    auto* daily = new QTimer(this);
    daily->setInterval(3600 * 1000);
    connect(daily, &QTimer::timeout, this, &MainWindow::backUpWhenDue);
    daily->start();
    backUpWhenDue();

    curve_->plot()->setFocus();
    const QSettings settings;
    restoreGeometry(settings.value("window/geometry").toByteArray());
    refreshShelf();
    current_ = std::clamp(settings.value("window/station", 0).toInt(), 0,
                          static_cast<int>(stations_.size()) - 1);
    bar_->setCurrent(current_);
    const auto last = settings.value("window/recording").toLongLong();
    for (const RecordingEntry& e : recordings_)
        if (e.id == last) {
            chooseRecording(last);
            // As it was left: the part that was shown.
            connect(
                this, &MainWindow::recordingShown, this,
                [this, from = settings.value("window/from_s").toDouble(),
                 to = settings.value("window/to_s").toDouble()] {
                    if (to > from) curve_->plot()->showRange(from, to);
                },
                Qt::SingleShotConnection);
        }
    if (!shown_ && !load_.running() && !recordings_.empty()) chooseRecording(recordings_.back().id);
}

MainWindow::~MainWindow() = default;

void MainWindow::bindBook() {
    // The path is copied: a worker must not look into the window.
    findChild<StrengthStation*>()->setLoader(
        [path = book_->path()](ShownPtr shown, std::stop_token stop, const Job::ProgressSink& p) {
            return loadStudy(path, *shown, stop, p);
        });
}

void MainWindow::addStation(Station* station, const QString& name, const QString& question) {
    stations_.push_back(station);
    middle_->addWidget(station);
    bar_->addStation(name, question);
    connect(station, &Station::rulerChanged, this,
            [this](const QString& reading, const QString& pins) {
                ruler_->setText(reading);
                pins_->setText(pins);
            });
    connect(station, &Station::rulesChanged, this, &MainWindow::keepRules);
    connect(station, &Station::meterCheckRequested, this, &MainWindow::meterCheck);
    connect(station, &Station::stepsEdited, this, [this](const std::vector<StepEdit>& added) {
        if (!shown_) return;
        std::vector<StepEdit> edits = shown_->edits;
        edits.insert(edits.end(), added.begin(), added.end());
        change([id = shown_->id, edits](BenchBook& b) { return b.setEdits(id, edits); });
    });
    connect(station, &Station::ownCurveChanged, this, &MainWindow::keepOwnCurve);
    connect(station, &Station::resistanceReadingRequested, this, &MainWindow::enterResistance);
}

Station* MainWindow::station() const {
    return stations_[static_cast<std::size_t>(current_)];
}

bool MainWindow::busy() const {
    const auto* finish = findChild<FinishStation*>();
    const auto* strength = findChild<StrengthStation*>();
    return work_.running() || load_.running() || changer_.running() ||
           (finish != nullptr && finish->busy()) || (strength != nullptr && strength->busy());
}

void MainWindow::setStation(int index) {
    if (index < 0 || index >= static_cast<int>(stations_.size())) return;
    current_ = index;
    bar_->setCurrent(index);
    QSettings().setValue("window/station", index);
    if (recordings_.empty()) return;
    middle_->setCurrentWidget(station());
    ruler_->clear();
    pins_->clear();
    station()->show(shown_);
    station()->firstFocus()->setFocus();
    showCards();
}

void MainWindow::showCards() {
    findings_->setCards(shown_ ? cardsFor(cards_, station()->question()) : std::vector<Card>());
}

Battery MainWindow::batteryOf(std::int64_t id) const {
    for (const BatteryEntry& e : batteries_)
        if (e.id == id) return e.battery;
    return {};
}

void MainWindow::refreshShelf() {
    auto batteries = book_->batteries();
    auto recordings = book_->recordings();
    if (!batteries || !recordings) {
        say(text(batteries ? recordings.error() : batteries.error()), true);
        return;
    }
    batteries_ = std::move(*batteries);
    recordings_ = std::move(*recordings);
    shelf_->setContents(batteries_, recordings_);
    const QString name =
        QFileInfo(QString::fromStdString(book_->path().string())).completeBaseName();
    bar_->setBook(name, tr("bench book · every change is saved"));
    const bool empty = recordings_.empty();
    middle_->setCurrentWidget(empty ? static_cast<QWidget*>(start_) : station());
    showUndoState();
    findings_->setVisible(!empty);
    if (empty) ruler_->setText(tr("Drop a log anywhere on this window"));
}

void MainWindow::watchBook() {
    if (busy() || !book_->changedElsewhere()) return;
    refreshShelf();  // another window changed the book
}

void MainWindow::say(const QString& words, bool problem) {
    inlineText_->setText(words);
    inline_->setProperty("hazard", problem);
    inline_->style()->unpolish(inline_);
    inline_->style()->polish(inline_);
    inline_->show();
}

void MainWindow::hideBar() {
    inline_->hide();
}

void MainWindow::loadDemo() {
    hideBar();
    task_->setText(tr("Making the demo bench"));
    const auto path = book_->path();
    const double now = now_s();
    work_.start(
        [path, now](std::stop_token stop, const Job::ProgressSink& progress) {
            return fillDemo(path, now, stop, progress);
        },
        [this](auto count) {
            refreshShelf();
            if (!count) {
                say(text(count.error()), true);
            } else {
                for (const RecordingEntry& e : recordings_)
                    if (e.fileName == "dew-heater-full-cycle.csv") chooseRecording(e.id);
            }
            Q_EMIT importFinished(count.has_value());
        });
}

void MainWindow::chooseRecording(std::int64_t id) {
    const RecordingEntry* entry = entryOf(id);
    if (entry == nullptr) return;
    shelf_->select(id);
    middle_->setCurrentWidget(station());
    const auto path = book_->path();
    const Battery battery = batteryOf(entry->batteryId);
    load_.start(
        [path, copy = *entry, battery, accuracy = preferences_.accuracy](std::stop_token,
                                                                         const Job::ProgressSink&) {
            return loadShown(path, copy, battery, accuracy);
        },
        [this, id](auto loaded) {
            if (!loaded) {
                say(text(loaded.error()), true);
                return;
            }
            shown_ = std::move(*loaded);
            cards_ = correctionCards(shown_->corrections, currentStyle());
            for (Card& card : makeCards(*shown_->recording, shown_->analysis, currentStyle()))
                cards_.push_back(std::move(card));
            std::stable_sort(cards_.begin(), cards_.end(), [](const Card& a, const Card& b) {
                return (a.tone == CardTone::Hazard) > (b.tone == CardTone::Hazard);
            });
            station()->show(shown_);
            if (focusWidget() == nullptr || focusWidget() == bar_->menuButton())
                curve_->plot()->setFocus();
            showCards();
            QSettings().setValue("window/recording", static_cast<qlonglong>(id));
            Q_EMIT recordingShown(id);
        });
}

void MainWindow::showFinding(int index) {
    const auto& cards = findings_->cards();
    if (index < 0 || index >= static_cast<int>(cards.size())) return;
    const Card card = cards[static_cast<std::size_t>(index)];
    if (station()->showsEvidence())
        findings_->selectCard(index);
    else
        setStation(0);
    QString words = QString::fromStdString(
        card.value.empty() ? card.kind
                           : card.value + (card.plusMinus.empty() ? "" : " " + card.plusMinus));
    station()->showEvidence(card.evidence, words.toLower() == words.toUpper() ? words
                                           : card.value.empty()               ? words.toLower()
                                                                              : words);
}

void MainWindow::showHelp() {
    auto* help = new HelpPage(station()->helpPage(), this);
    help->setAttribute(Qt::WA_DeleteOnClose);
    help->open();
}

void MainWindow::dragEnterEvent(QDragEnterEvent* event) {
    if (event->mimeData()->hasUrls() || event->mimeData()->hasText()) event->acceptProposedAction();
}

void MainWindow::dropEvent(QDropEvent* event) {
    QStringList paths;
    for (const QUrl& url : event->mimeData()->urls())
        if (url.isLocalFile()) paths << url.toLocalFile();
    if (!paths.isEmpty()) {
        event->acceptProposedAction();
        openFiles(paths);
    } else if (!event->mimeData()->urls().isEmpty()) {
        say(tr("Only files on this computer can be dropped here; nothing is fetched from a "
               "network."),
            true);
    }
}

void MainWindow::resizeEvent(QResizeEvent* event) {
    QMainWindow::resizeEvent(event);
    const bool narrow = width() < 1120;
    bar_->setSubtitlesShown(!narrow);
    if (narrow != (event->oldSize().width() < 1120) || event->oldSize().width() <= 0)
        shelf_->setVisible(!narrow);
}

void MainWindow::closeEvent(QCloseEvent* event) {
    QSettings settings;
    settings.setValue("window/geometry", saveGeometry());
    settings.setValue("window/shelf", !shelf_->isHidden());
    settings.setValue("window/from_s", curve_->plot()->rangeLow());
    settings.setValue("window/to_s", curve_->plot()->rangeHigh());
    work_.cancel();
    // Nothing that was asked for is lost: what waits is still written.
    changer_.wait();
    if (!changes_.empty())
        if (auto book = BenchBook::open(book_->path(), false))
            for (const PendingChange& c : std::exchange(changes_, {})) (void)c.work(**book);
    QMainWindow::closeEvent(event);
}

}  // namespace nk
