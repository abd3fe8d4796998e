include(GNUInstallDirs)
install(TARGETS narrow-knee-cli RUNTIME DESTINATION ${CMAKE_INSTALL_BINDIR})
