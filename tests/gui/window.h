// The real window for tests: its own settings, book and folder; file dialogs answer at once.
#pragma once

#include <gtest/gtest.h>

#include <QApplication>
#include <QComboBox>
#include <QDropEvent>
#include <QFile>
#include <QLineEdit>
#include <QMimeData>
#include <QPushButton>
#include <QSettings>
#include <QSignalSpy>
#include <QSpinBox>
#include <QTemporaryDir>
#include <QTest>

#include "app/job/job.h"
#include "app/shell/battery_card.h"
#include "app/shell/main_window.h"
#include "tests/support/sim.h"

namespace nk::test {

class FakeDialogs : public Dialogs {
  public:
    QStringList openLogs(QWidget*) override { return logs; }
    QString openBook(QWidget*) override { return book; }
    QString saveAs(QWidget*, const QString&, const QString&, const QString&) override {
        return save;
    }
    QString openFile(QWidget*, const QString&, const QString&) override { return file; }
    int choose(QWidget*, const QString&, const QString&, const QStringList&,
               const QString&) override {
        return -1;
    }
    void tell(QWidget*, const QString&, const QString&) override {}
    bool confirm(QWidget*, const QString&, const QString&, const QString&) override { return yes; }
    QStringList logs;
    QString book, save, file;
    bool yes = true;
};

class Window : public testing::Test {
  protected:
    void SetUp() override {
        ASSERT_TRUE(folder_.isValid());
        QSettings::setDefaultFormat(QSettings::IniFormat);
        QSettings::setPath(QSettings::IniFormat, QSettings::UserScope, folder_.path());
        QSettings().clear();
        QSettings().setValue("language", "en");  // whatever the machine speaks
        QSettings().setValue("decimalSign", 1);
        applyTheme(*qApp, ThemeChoice::Paper);
        openWindow();
    }
    void openWindow() {
        window_.reset();
        auto book = BenchBook::open(path("bench.nkbook").toStdString());
        ASSERT_TRUE(book);
        window_ = std::make_unique<MainWindow>(std::move(*book), dialogs_);
        window_->resize(1280, 800);
        window_->show();
        ASSERT_TRUE(QTest::qWaitForWindowExposed(window_.get()));
        settle();
    }
    /// Waits until the windows have nothing to do, nothing runs behind them and nothing follows
    /// that was queued. A test that went on without what it waits for would look into things that
    /// are not there, or keep what is made anew behind its back: it ends here.
    void settle() const {
        waitUntil([this] { return !window_->busy(); }, "still busy");
    }
    template <class Rested>
    static void waitUntil(const Rested& rested, const char* otherwise) {
        const auto rest = [&] {
            for (int quiet = 0; quiet < 4; ++quiet) {
                if (!rested() || Job::underWay() > 0) return false;
                QApplication::processEvents();
            }
            return true;
        };
        if (!QTest::qWaitFor(rest, kPatience_ms)) throw std::runtime_error(otherwise);
    }
    static constexpr int kPatience_ms = 60000;
    /// A key with Ctrl, into the active window.
    void press(Qt::Key key) const {
        window_->activateWindow();
        ASSERT_TRUE(QTest::qWaitForWindowActive(window_.get()));
        QTest::keyClick(window_.get(), key, Qt::ControlModifier);
    }
    QString path(const QString& name) const { return folder_.filePath(name); }
    QString writeLog(const QString& name, const std::string& text) const {
        QFile file(path(name));
        EXPECT_TRUE(file.open(QIODevice::WriteOnly));
        file.write(text.data(), static_cast<qint64>(text.size()));
        return path(name);
    }
    QString cycleLog() const {
        return writeLog(
            "night-14.csv",
            nk::test::logged(nk::test::lithiumCycle(R"({"noise_V": 0.001, "noise_A": 0.001})"))
                .text);
    }
    void drop(const QString& file) const { drop(QStringList{file}); }
    void drop(const QStringList& files) const {
        QMimeData mime;
        QList<QUrl> urls;
        for (const QString& file : files) urls << QUrl::fromLocalFile(file);
        mime.setUrls(urls);
        QDragEnterEvent enter(QPoint(600, 300), Qt::CopyAction, &mime, Qt::LeftButton,
                              Qt::NoModifier);
        QApplication::sendEvent(window_.get(), &enter);
        EXPECT_TRUE(enter.isAccepted());
        QDropEvent dropped(QPointF(600, 300), Qt::CopyAction, &mime, Qt::LeftButton,
                           Qt::NoModifier);
        QApplication::sendEvent(window_.get(), &dropped);
    }
    BatteryCard* waitForCard() const {
        BatteryCard* card = nullptr;
        const auto shown = [&] {
            card = window_->findChild<BatteryCard*>();
            return card != nullptr && card->isVisible();
        };
        if (!QTest::qWaitFor(shown, kPatience_ms)) throw std::runtime_error("no battery card");
        return card;
    }
    template <class T>
    T* part(const QString& name) const {
        T* found = window_->findChild<T*>(name);
        if (found == nullptr) throw std::runtime_error("there is no " + name.toStdString());
        return found;
    }
    void importCycle() { importLog(cycleLog(), "Dew heater 2", "nmc", 3, "2500 mAh"); }

    /// A log is dropped in and its battery card filled.
    void importLog(const QString& file, const char* name, const char* chemistry, int series,
                   const char* rated) {
        QSignalSpy shown(window_.get(), &MainWindow::recordingShown);
        drop(file);
        BatteryCard* card = waitForCard();
        ASSERT_NE(card, nullptr);
        QTest::keyClicks(card->findChild<QLineEdit*>("name"), name);
        card->findChild<QComboBox*>("chemistry")
            ->setCurrentIndex(card->findChild<QComboBox*>("chemistry")->findData(chemistry));
        card->findChild<QSpinBox*>("series")->setValue(series);
        QTest::keyClicks(card->findChild<QLineEdit*>("rated"), rated);
        QTest::mouseClick(card->findChild<QPushButton*>("accept"), Qt::LeftButton);
        if (!QTest::qWaitFor([&] { return shown.count() > 0; }, kPatience_ms))
            throw std::runtime_error("the log was never shown");
        settle();
    }

    QTemporaryDir folder_;
    FakeDialogs dialogs_;
    std::unique_ptr<MainWindow> window_;
};

}  // namespace nk::test
