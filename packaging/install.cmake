# cmake --install and CPack (.deb): programs, desktop entry, metadata, icons, man pages, completion.
include(GNUInstallDirs)
set(linux ${CMAKE_SOURCE_DIR}/packaging/linux)
install(TARGETS narrow-knee-cli narrow-knee-sim RUNTIME DESTINATION ${CMAKE_INSTALL_BINDIR})
if(NK_APP)
  install(TARGETS narrow-knee RUNTIME DESTINATION ${CMAKE_INSTALL_BINDIR})
  install(FILES ${linux}/narrow-knee.desktop DESTINATION ${CMAKE_INSTALL_DATADIR}/applications)
  install(FILES ${linux}/narrow-knee.metainfo.xml DESTINATION ${CMAKE_INSTALL_DATADIR}/metainfo)
  install(FILES ${linux}/narrow-knee-mime.xml DESTINATION ${CMAKE_INSTALL_DATADIR}/mime/packages RENAME narrow-knee.xml)
  install(FILES ${CMAKE_SOURCE_DIR}/assets/icons/narrow-knee.svg
          DESTINATION ${CMAKE_INSTALL_DATADIR}/icons/hicolor/scalable/apps)
  install(FILES ${linux}/narrow-knee-book.svg
          DESTINATION ${CMAKE_INSTALL_DATADIR}/icons/hicolor/scalable/mimetypes)
  install(FILES ${CMAKE_SOURCE_DIR}/packaging/man/narrow-knee.1 DESTINATION ${CMAKE_INSTALL_MANDIR}/man1)
endif()
install(FILES ${CMAKE_SOURCE_DIR}/packaging/man/narrow-knee-sim.1 DESTINATION ${CMAKE_INSTALL_MANDIR}/man1)
install(FILES ${CMAKE_SOURCE_DIR}/packaging/man/narrow-knee-cli.1 DESTINATION ${CMAKE_INSTALL_MANDIR}/man1)
install(FILES ${linux}/narrow-knee-cli.bash DESTINATION ${CMAKE_INSTALL_DATADIR}/bash-completion/completions
        RENAME narrow-knee-cli)
install(FILES ${CMAKE_SOURCE_DIR}/assets/fonts/OFL-fonts-inter.txt ${CMAKE_SOURCE_DIR}/LICENSE
        DESTINATION ${CMAKE_INSTALL_DOCDIR})

set(CPACK_GENERATOR DEB)
set(CPACK_PACKAGE_NAME narrow-knee)
set(CPACK_PACKAGE_CONTACT "The Narrow Knee developers <narrow-knee@example.org>")
set(CPACK_PACKAGE_DESCRIPTION_SUMMARY "Honest numbers from battery logs")
set(CPACK_DEBIAN_PACKAGE_SECTION science)
set(CPACK_DEBIAN_FILE_NAME DEB-DEFAULT)
set(CPACK_DEBIAN_PACKAGE_SHLIBDEPS ON)
set(CPACK_DEBIAN_PACKAGE_DEPENDS "qt6-qpa-plugins, libmatio11")
set(CPACK_DEBIAN_PACKAGE_RECOMMENDS "qt6-translations-l10n")
set(CPACK_STRIP_FILES ON)
include(CPack)
