execute_process(COMMAND readelf -d ${PROGRAM} OUTPUT_VARIABLE text RESULT_VARIABLE status)
if(NOT status EQUAL 0 OR text MATCHES "libQt6")
    message(FATAL_ERROR "${PROGRAM} needs a Qt library: ${text}")
endif()
