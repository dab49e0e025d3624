# What is put onto a machine: cmake --install build/release --prefix /usr. The program looks for what ships with it in
# ../share/pathmark beside its own folder.
include(GNUInstallDirs)

install(TARGETS pathmark pathmark-standin RUNTIME DESTINATION ${CMAKE_INSTALL_BINDIR})
install(DIRECTORY ${CMAKE_BINARY_DIR}/share/pathmark DESTINATION ${CMAKE_INSTALL_DATADIR})
if(PATHMARK_DESK)
    install(TARGETS pathmark-desk RUNTIME DESTINATION ${CMAKE_INSTALL_BINDIR})
    set(entry ${CMAKE_SOURCE_DIR}/data/desktop)
    install(FILES ${entry}/org.pathmark.Desk.desktop DESTINATION ${CMAKE_INSTALL_DATADIR}/applications)
    install(FILES ${entry}/org.pathmark.Desk.metainfo.xml DESTINATION ${CMAKE_INSTALL_DATADIR}/metainfo)
    install(FILES ${entry}/org.pathmark.Desk.mime.xml DESTINATION ${CMAKE_INSTALL_DATADIR}/mime/packages RENAME org.pathmark.Desk.xml)
    install(FILES ${entry}/pathmark.svg DESTINATION ${CMAKE_INSTALL_DATADIR}/icons/hicolor/scalable/apps)
endif()
