// narrow-knee: the desktop application.
#include <QApplication>
#include <QCommandLineParser>
#include <QDir>
#include <QEventLoop>
#include <QIcon>
#include <QMessageBox>
#include <QSettings>
#include <QStandardPaths>
#include <QTextStream>
#include <QTimer>

#include "app/shell/main_window.h"
#include "app/shell/render.h"

int main(int argc, char** argv) {
    // Pictures need no display.
    for (int k = 1; k < argc; ++k)
        if (QByteArray(argv[k]).startsWith("--render") &&
            !qEnvironmentVariableIsSet("QT_QPA_PLATFORM"))
            qputenv("QT_QPA_PLATFORM", "offscreen");
    QApplication app(argc, argv);
    QApplication::setOrganizationName("narrow-knee");
    QApplication::setApplicationName("narrow-knee");
    QApplication::setApplicationDisplayName("Narrow Knee");
    QApplication::setApplicationVersion(NK_VERSION);
    QApplication::setDesktopFileName("narrow-knee");
    nk::loadFonts();  // also brings in the icons
    QApplication::setWindowIcon(QIcon(":/icons/narrow-knee.svg"));

    QCommandLineParser parser;
    parser.setApplicationDescription(QApplication::tr("Honest numbers from battery logs."));
    parser.addHelpOption();
    parser.addVersionOption();
    parser.addPositionalArgument(
        "files", QApplication::tr("A bench book (.nkbook) and logs to open."), "[files …]");
    const QCommandLineOption demo(
        "demo", QApplication::tr("Start on the demo bench, in a book of its own."));
    const QCommandLineOption render(
        "render",
        QApplication::tr(
            "Write pictures of the main views of the demo bench to a folder and quit."),
        "folder");
    parser.addOptions({demo, render});
    parser.process(app);

    if (parser.isSet(render)) return nk::renderViews(app, parser.value(render));

    QSettings settings;
    nk::applyTheme(app, static_cast<nk::ThemeChoice>(settings.value("look", 0).toInt()));
    const QString data = QStandardPaths::writableLocation(QStandardPaths::AppDataLocation);
    QDir().mkpath(data);
    QString path = settings.value("book", data + "/bench.nkbook").toString();
    QStringList logs;
    for (const QString& file : parser.positionalArguments()) {
        if (file.endsWith(".nkbook"))
            path = file;
        else
            logs << file;
    }
    if (parser.isSet(demo)) path = data + "/hill field kit.nkbook";
    auto book = nk::BenchBook::open(path.toStdString());
    if (!book) {
        QTextStream(stderr) << QString::fromStdString(book.error().text()) << Qt::endl;
        QMessageBox::critical(nullptr, "Narrow Knee", QString::fromStdString(book.error().text()));
        return 1;
    }
    nk::Dialogs dialogs;
    nk::MainWindow window(std::move(*book), dialogs);
    window.show();
    if (parser.isSet(demo)) QTimer::singleShot(0, &window, &nk::MainWindow::loadDemo);
    if (!logs.isEmpty()) QTimer::singleShot(0, &window, [&] { window.openFiles(logs); });
    return QApplication::exec();
}
