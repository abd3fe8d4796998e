#include "app/shell/main_window.h"

#include <QApplication>
#include <QCloseEvent>
#include <QDragEnterEvent>
#include <QFileInfo>
#include <QMenu>
#include <QMimeData>
#include <QPushButton>
#include <QSettings>
#include <QStackedWidget>
#include <algorithm>

#include "app/battery/battery_page.h"
#include "app/findings/findings_panel.h"
#include "app/shelf/shelf.h"
#include "app/shell/inline_bar.h"
#include "app/shell/start_screen.h"
#include "app/shell/station_bar.h"
#include "app/shell/stations.h"
#include "app/shell/status_line.h"

namespace nk {

MainWindow::MainWindow(std::unique_ptr<BenchBook> book, Dialogs& dialogs, QWidget* parent,
                       const StationMaker& maker)
    : QMainWindow(parent), preferences_(Preferences::load()), dialogs_(dialogs) {
    present(preferences_);
    parts_ = std::make_unique<WindowParts>(std::move(book), dialogs, preferences_, this);
    setWindowTitle(tr("Narrow Knee"));
    frame_ = layOut(*this);
    stations_ = maker ? maker(session(), parts_->recordings, frame_.middle)
                      : makeStations(session(), parts_->recordings, frame_.middle);
    page_ = new BatteryPage(session(), frame_.middle);
    frame_.middle->addWidget(page_);
    for (Station* s : stations_) {
        frame_.middle->addWidget(s);
        frame_.bar->addStation(s->name(), s->ask());
        connect(s, &Station::wanted, this, [this, s] {
            setStation(static_cast<int>(std::ranges::find(stations_, s) - stations_.begin()));
        });
        connect(s, &Station::rulerChanged, frame_.status, &StatusLine::setRuler);
    }
    connectParts();
    auto* menu = new QMenu(this);
    menu_ = buildMainMenu(*this, *menu);
    frame_.bar->menuButton()->setMenu(menu);
    startTimer(2000);  // looks for changes of other windows
    takeUp();
}

MainWindow::~MainWindow() {
    // Stations and dialogs look at the session to the end.
    qDeleteAll(findChildren<QDialog*>(Qt::FindDirectChildrenOnly));
    delete takeCentralWidget();
}

void MainWindow::connectParts() {
    Session& s = session();
    connect(&s, &Session::said, frame_.inlineBar, &InlineBar::say);
    connect(&s, &Session::listsChanged, this, &MainWindow::showLists);
    connect(&s, &Session::standingsChanged, this,
            [this] { frame_.shelf->setStandings(session().standings()); });
    connect(&s, &Session::shownChanged, this, &MainWindow::showShown);
    connect(&s, &Session::chosen, this, [this](qlonglong id) {
        frame_.shelf->select(id);
        frame_.middle->setCurrentWidget(station());
        frame_.bar->setCurrent(current_);
        frame_.findings->setVisible(station()->hasFindings());
    });
    connect(&s, &Session::recordingShown, this, [this](qlonglong id) {
        QSettings().setValue("window/recording", id);
        Q_EMIT recordingShown(id);
    });
    connect(&s, &Session::outOfDate, frame_.shelf, &Shelf::setOutOfDate);
    connect(&s, &Session::workChanged, frame_.status, &StatusLine::setTask);
    connect(&s, &Session::workChanged, frame_.inlineBar, &InlineBar::clear);
    connect(&s, &Session::workProgressed, frame_.status, &StatusLine::setProgress);
    connect(frame_.status, &StatusLine::cancelRequested, this, [this] {
        // What came of it is said by the work itself.
        parts_->imports.leave();
        session().stopWork();
    });
    connect(&parts_->imports, &ImportDesk::finished, this, &MainWindow::importFinished);
    connect(&parts_->shelf, &ShelfActions::handOnRequested, &parts_->books, &BookActions::handOn);
    connect(frame_.start, &StartScreen::openRequested, this, &MainWindow::askForLogs);
    connect(frame_.start, &StartScreen::pasteRequested, this, &MainWindow::pasteTable);
    connect(frame_.start, &StartScreen::demoRequested, this, &MainWindow::loadDemo);
    connect(frame_.shelf, &Shelf::addRequested, this, &MainWindow::askForLogs);
    connect(frame_.shelf, &Shelf::recordingChosen, &s, &Session::choose);
    connect(frame_.shelf, &Shelf::batteryChosen, this, &MainWindow::showBattery);
    connect(page_, &BatteryPage::editRequested, &parts_->shelf, &ShelfActions::editBattery);
    connect(page_, &BatteryPage::padRequested, &parts_->shelf, &ShelfActions::openPad);
    connect(&s, &Session::padRequested, &parts_->shelf, &ShelfActions::openPad);
    connect(page_, &BatteryPage::recordingChosen, &s, &Session::choose);
    connect(page_, &BatteryPage::evidenceChosen, this, &MainWindow::openEvidence);
    connect(page_, &BatteryPage::batteryChosen, this, &MainWindow::showBattery);
    connect(page_, &BatteryPage::moreRequested, &parts_->shelf, &ShelfActions::batteryMenu);
    connect(page_, &BatteryPage::readingChosen, &parts_->life, &LifeActions::editReading);
    connect(page_, &BatteryPage::taskDone, &parts_->life, &LifeActions::tick);
    connect(&parts_->life, &LifeActions::batteryChosen, this, &MainWindow::showBattery);
    connect(&parts_->shelf, &ShelfActions::menuOpening, &parts_->life,
            [this](QMenu* menu, qlonglong id) { parts_->life.fillMenu(*menu, id); });
    connect(frame_.shelf, &Shelf::recordingMenuRequested, &parts_->shelf,
            &ShelfActions::recordingMenu);
    connect(frame_.shelf, &Shelf::batteryMenuRequested, &parts_->shelf, &ShelfActions::batteryMenu);
    connect(frame_.bar, &StationBar::stationChosen, this, &MainWindow::setStation);
    connect(frame_.findings, &FindingsPanel::evidenceRequested, this, &MainWindow::showFinding);
    connect(frame_.findings, &FindingsPanel::actionRequested, this, [this](int index) {
        const auto& cards = frame_.findings->cards();
        if (index >= 0 && index < static_cast<int>(cards.size()))
            parts_->recordings.takeAction(cards[static_cast<std::size_t>(index)]);
    });
    connect(frame_.findings, &FindingsPanel::sheetRequested, &parts_->handOut, &HandOut::saveSheet);
}

/// Goes on where the last window was left.
void MainWindow::takeUp() {
    const QSettings settings;
    evidenceStation()->firstFocus()->setFocus();
    restoreGeometry(settings.value("window/geometry").toByteArray());
    session().reread();
    parts_->life.greet();
    current_ = std::clamp(settings.value("window/station", 0).toInt(), 0,
                          static_cast<int>(stations_.size()) - 1);
    frame_.bar->setCurrent(current_);
    const auto last = settings.value("window/recording").toLongLong();
    if (session().entryOf(last) == nullptr) {
        session().chooseAny();
        return;
    }
    session().choose(last);
    // As it was left: the part that was shown.
    connect(
        this, &MainWindow::recordingShown, this,
        [this, from = settings.value("window/from_s").toDouble(),
         to = settings.value("window/to_s").toDouble()] {
            if (to > from) evidenceStation()->setRange(from, to);
        },
        Qt::SingleShotConnection);
}

Station* MainWindow::evidenceStation() const {
    if (station()->showsEvidence()) return station();
    for (Station* s : stations_)
        if (s->showsEvidence()) return s;
    return stations_.front();
}

bool MainWindow::onPage() const {
    return frame_.middle->currentWidget() == page_;
}

void MainWindow::showBattery(std::int64_t id) {
    frame_.middle->setCurrentWidget(page_);
    frame_.bar->setCurrent(-1);
    frame_.findings->hide();
    frame_.status->setRuler({}, {});
    session().chooseBattery(id);
    page_->show(id);
}

bool MainWindow::busy() const {
    return session().busy() || page_->busy() || std::ranges::any_of(stations_, &Station::busy);
}

QString MainWindow::helpPage() const {
    return onPage() ? QString("battery") : station()->helpPage();
}

void MainWindow::askForLogs() {
    openFiles(dialogs_.openLogs(this));
}

void MainWindow::setStation(int index) {
    if (index < 0 || index >= static_cast<int>(stations_.size())) return;
    current_ = index;
    frame_.bar->setCurrent(index);
    QSettings().setValue("window/station", index);
    if (session().recordings().empty() && station()->scope() != Station::Scope::Book) return;
    frame_.middle->setCurrentWidget(station());
    frame_.findings->setVisible(!session().recordings().empty() && station()->hasFindings());
    frame_.status->setRuler({}, {});
    station()->show(shown());
    station()->firstFocus()->setFocus();
    showCards();
}

void MainWindow::showLists() {
    frame_.shelf->setContents(session().batteries(), session().recordings(), session().lives());
    frame_.bar->setBook(
        QFileInfo(QString::fromStdString(session().path().string())).completeBaseName(),
        tr("bench book · every change is saved"));
    const bool empty = session().recordings().empty();
    const bool start = empty && station()->scope() != Station::Scope::Book;
    if (onPage() && session().batteryOf(page_->battery()).name.size() > 0)
        page_->show(page_->battery());  // what it tells may have changed
    else
        frame_.middle->setCurrentWidget(start ? static_cast<QWidget*>(frame_.start) : station());
    const auto label = [](QAction* action, const QString& name,
                          const Expected<std::string>& words) {
        const bool any = words && !words->empty();
        action->setEnabled(any);
        action->setText(any ? name + ": " + QString::fromStdString(*words) : name);
    };
    label(menu_.undo, tr("Undo"), book().undoLabel());
    label(menu_.redo, tr("Redo"), book().redoLabel());
    frame_.findings->setVisible(!empty && !onPage() && station()->hasFindings());
    if (empty) frame_.status->setRuler(tr("Drop a log anywhere on this window"), {});
}

void MainWindow::showShown() {
    cards_.clear();
    const ShownPtr shown = this->shown();
    if (!shown) {
        for (Station* s : stations_) s->show(nullptr);
        showCards();
        return;
    }
    cards_ = cardsOf(*shown);
    station()->show(shown);
    if (focusWidget() == nullptr || focusWidget() == frame_.bar->menuButton())
        evidenceStation()->firstFocus()->setFocus();
    showCards();
}

void MainWindow::showCards() {
    frame_.findings->setCards(shown() ? cardsFor(cards_, station()->question())
                                      : std::vector<Card>());
}

void MainWindow::showFinding(int index) {
    const auto& cards = frame_.findings->cards();
    if (index < 0 || index >= static_cast<int>(cards.size())) return;
    const Card card = cards[static_cast<std::size_t>(index)];
    if (station()->showsEvidence()) {
        frame_.findings->selectCard(index);
    } else {
        const auto at = std::ranges::find(stations_, evidenceStation());
        setStation(static_cast<int>(at - stations_.begin()));
    }
    const QString figure =
        QString::fromStdString(card.value + (card.plusMinus.empty() ? "" : " " + card.plusMinus));
    station()->showEvidence(
        card.evidence, card.value.empty() ? QString::fromStdString(card.kind).toLower() : figure);
}

void MainWindow::openEvidence(qlonglong recording, const Evidence& evidence, const QString& words) {
    connect(
        this, &MainWindow::recordingShown, this,
        [this, recording, evidence, words](qlonglong shown) {
            if (shown != recording) return;  // something else was chosen meanwhile
            if (!station()->showsEvidence())
                setStation(static_cast<int>(std::ranges::find(stations_, evidenceStation()) -
                                            stations_.begin()));
            station()->showEvidence(evidence, words);
        },
        Qt::SingleShotConnection);
    session().choose(recording);
}

void MainWindow::setPreferences(const Preferences& preferences) {
    const bool words = preferences.spoken() != preferences_.spoken();
    if (!(preferences.accuracy == preferences_.accuracy))
        session().change([accuracy = preferences.accuracy](BenchBook& b) {
            return b.setUsualAccuracy(accuracy);
        });
    preferences_ = preferences;
    preferences_.save();
    present(preferences_);
    setTheme(preferences_.look);
    session().reload();  // numbers and words are made anew
    parts_->books.backUpWhenDue();
    if (words) Q_EMIT reopenRequested();
}

void MainWindow::setTheme(ThemeChoice choice) {
    preferences_.look = choice;
    preferences_.save();
    applyTheme(*qApp, choice);
    for (Station* s : stations_) s->applyColours();
    page_->applyColours();
    session().reread();
    showCards();
}

void MainWindow::toggleShelf() {
    frame_.shelf->setVisible(!frame_.shelf->isVisible());
}

void MainWindow::timerEvent(QTimerEvent*) {
    if (busy()) return;
    session().lookElsewhere();
    session().foldBack();
}

void MainWindow::dragEnterEvent(QDragEnterEvent* event) {
    if (event->mimeData()->hasUrls() || event->mimeData()->hasText()) event->acceptProposedAction();
}

void MainWindow::dropEvent(QDropEvent* event) {
    if (parts_->imports.drop(*event->mimeData())) event->acceptProposedAction();
}

void MainWindow::resizeEvent(QResizeEvent* event) {
    QMainWindow::resizeEvent(event);
    const bool narrow = width() < 1120;
    frame_.bar->setSubtitlesShown(!narrow);
    if (narrow != (event->oldSize().width() < 1120) || event->oldSize().width() <= 0)
        frame_.shelf->setVisible(!narrow);
}

void MainWindow::closeEvent(QCloseEvent* event) {
    for (const Station* s : stations_) {
        const QString why = s->closeQuestion();
        if (why.isEmpty()) continue;
        if (dialogs_.confirm(this, tr("Close the window?"), why, tr("Close"))) continue;
        event->ignore();
        return;
    }
    QSettings settings;
    settings.setValue("window/geometry", saveGeometry());
    settings.setValue("window/shelf", !frame_.shelf->isHidden());
    if (const auto view = evidenceStation()->range()) {
        settings.setValue("window/from_s", view->first);
        settings.setValue("window/to_s", view->second);
    }
    session().stopWork();
    for (Station* s : stations_) s->keepNow();
    // Nothing that was asked for is lost: what waits is still written, and what fails is said.
    const QStringList problems = session().finishChanges();
    if (!problems.isEmpty())
        dialogs_.tell(this, tr("Not everything could be written"), problems.join("\n\n"));
    QMainWindow::closeEvent(event);
    if (event->isAccepted()) Q_EMIT closed();
}

}  // namespace nk
