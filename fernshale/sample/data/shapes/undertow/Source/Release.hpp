#pragma once

#define UNDERTOW_VERSION "1.8.0"
#define HULLMARK_RELEASE "5.0.0"
