# What `cmake --install` lays down: headers, library, CMake package, pkg-config file, command and demo files.
install(TARGETS cogstride cogstride_chip EXPORT CogStrideTargets ARCHIVE DESTINATION ${CMAKE_INSTALL_LIBDIR}
        LIBRARY DESTINATION ${CMAKE_INSTALL_LIBDIR})
if(COGSTRIDE_PAGE)
  install(TARGETS cogstride_page EXPORT CogStrideTargets ARCHIVE DESTINATION ${CMAKE_INSTALL_LIBDIR})
endif()
include(cmake/public_headers.cmake)
foreach(header IN LISTS cogstride_public_headers)
  get_filename_component(folder ${header} DIRECTORY)
  install(FILES ${header} DESTINATION ${CMAKE_INSTALL_INCLUDEDIR}/${folder})
endforeach()
install(EXPORT CogStrideTargets NAMESPACE CogStride:: DESTINATION ${CMAKE_INSTALL_LIBDIR}/cmake/CogStride)

configure_package_config_file(cmake/CogStrideConfig.cmake.in ${PROJECT_BINARY_DIR}/CogStrideConfig.cmake
                              INSTALL_DESTINATION ${CMAKE_INSTALL_LIBDIR}/cmake/CogStride)
write_basic_package_version_file(${PROJECT_BINARY_DIR}/CogStrideConfigVersion.cmake COMPATIBILITY SameMinorVersion)
install(FILES ${PROJECT_BINARY_DIR}/CogStrideConfig.cmake ${PROJECT_BINARY_DIR}/CogStrideConfigVersion.cmake
        DESTINATION ${CMAKE_INSTALL_LIBDIR}/cmake/CogStride)

# Found from where the file stands, so that it is true wherever the package is laid down.
file(RELATIVE_PATH cogstride_prefix_from_pc /prefix/${CMAKE_INSTALL_LIBDIR}/pkgconfig /prefix)
configure_file(cmake/cogstride.pc.in ${PROJECT_BINARY_DIR}/cogstride.pc @ONLY)
install(FILES ${PROJECT_BINARY_DIR}/cogstride.pc DESTINATION ${CMAKE_INSTALL_LIBDIR}/pkgconfig)

if(COGSTRIDE_TOOL)
  install(TARGETS cogstride_tool DESTINATION ${CMAKE_INSTALL_BINDIR})
endif()
install(DIRECTORY demo/ DESTINATION ${CMAKE_INSTALL_DATADIR}/cogstride/demo)
