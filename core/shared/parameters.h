// SPDX-License-Identifier: MIT
// Checks a routine's parameters against the list that describes them, and fills in defaults.
#ifndef CMI_PARAMETERS_H
#define CMI_PARAMETERS_H

#include <cammino/parameters.h>
#include <stddef.h>

// How a row is checked; what is not here needs no check.
typedef enum cmi_check_as {
    CMI_HALT,
    CMI_BAND,
    CMI_NUMBER, // zero becomes the default
    CMI_RATE,
    CMI_WIDTH,
    CMI_OTHERWISE, // from here on zero will do,
    CMI_SIGNED,
    CMI_SPEED,
    CMI_WHOLE, // but for this one; and from here on they are whole numbers
    CMI_COUNT,
    CMI_CHOICE
} cmi_check_as;

// A row of a list, as little as a check needs.
typedef struct cmi_row {
    const char *name;
    float least, most;
    float usual;    // CMI_RATE: the offset of the robot's own in its description
    uint8_t offset; // in the parameters
    uint8_t size;
    uint8_t as; // cmi_check_as
} cmi_row;

// A list's rows as an initialiser; `of` is the parameters' type.
#define CMI_ROW(of, type, ...) CMI_ROW_##type(of, __VA_ARGS__)
#define CMI_ROW_OF(of, name, least, most, usual, as)                                               \
    {#name,                                                                                        \
     (float)(least),                                                                               \
     (float)(most),                                                                                \
     (float)(usual),                                                                               \
     (uint8_t)offsetof(of, name),                                                                  \
     (uint8_t)sizeof(((of *)0)->name),                                                             \
     as},
#define CMI_ROW_NUMBER(of, name, least, most, usual, meaning)                                      \
    CMI_ROW_OF(of, name, least, most, usual, CMI_NUMBER)
#define CMI_ROW_OTHERWISE(of, name, least, most, usual, meaning)                                   \
    CMI_ROW_OF(of, name, least, most, 0, CMI_OTHERWISE)
#define CMI_ROW_SIGNED(of, name, least, most, usual, meaning)                                      \
    CMI_ROW_OF(of, name, least, most, 0, CMI_SIGNED)
#define CMI_ROW_SPEED(of, name, usual, meaning) CMI_ROW_OF(of, name, 0, 0, 0, CMI_SPEED)
#define CMI_ROW_RATE(of, name, usual, meaning)                                                     \
    CMI_ROW_OF(of, name, 10, 50000, offsetof(cmo_robot_description, name), CMI_RATE)
#define CMI_ROW_WIDTH(of, name, least, most, usual, meaning)                                       \
    CMI_ROW_OF(of, name, least, most, usual, CMI_WIDTH)
#define CMI_ROW_WHOLE(of, field_type, name, least, most, usual, meaning)                           \
    CMI_ROW_OF(of, name, least, most, usual, CMI_WHOLE)
#define CMI_ROW_COUNT(of, field_type, name, least, most, usual, meaning)                           \
    CMI_ROW_OF(of, name, least, most, 0, CMI_COUNT)
#define CMI_ROW_CHOICE(of, field_type, name, first, last, words, usual, meaning)                   \
    CMI_ROW_OF(of, name, 0, last, 0, CMI_CHOICE)
#define CMI_ROW_HALT(of, name, meaning)        CMI_ROW_OF(of, name, 0, 0, 0, CMI_HALT)
#define CMI_ROW_BAND(of, name, usual, meaning) CMI_ROW_OF(of, name, 0, 0, 0, CMI_BAND)
#define CMI_ROW_SURFACE(of, name, usual, meaning)
#define CMI_ROW_FLAG(of, name, meaning)
#define CMI_ROW_BITS(of, name, words, usual, meaning)
#define CMI_ROW_PLACE(of, name, usual, meaning)
#define CMI_ROW_PLACES(of, name, most, usual, meaning)
#define CMI_ROW_TIME(of, name, file_name, least, usual, meaning)

// A row of the lists of a description (robot.h).
#define CMI_AS_MUST_float    CMI_NUMBER
#define CMI_AS_MUST_uint32_t CMI_WHOLE
#define CMI_AS_MAY_float     CMI_OTHERWISE
#define CMI_AS_MAY_uint32_t  CMI_COUNT
#define CMI_AS_MAY_uint16_t  CMI_COUNT
#define CMI_FIELD_ROW(of, must, type, field, key, factor, least, most, unit, usual, meaning)       \
    CMI_ROW_OF(of, field, (float)(factor) * (float)(least), (float)(factor) * (float)(most), 0,    \
               CMI_AS_##must##_##type)

_Static_assert(offsetof(cmo_robot_description, light) < 256, "a row's offset is one byte");

#define CMI_ROWS(rows) (uint8_t)(sizeof(rows) / sizeof *(rows))

// Done, or what to answer: robot->field then names the parameter, robot->limit the nearest value
// that would do. What defaults follow from others, the routine has filled in before.
cmo_outcome cmi_check_parameters(cmo_robot *robot, const cmi_row *rows, uint8_t count,
                                 void *parameters);

// A speed of 0 becomes this, held to what the robot can do.
void cmi_usual_speed(const cmo_robot *robot, float *speed_mm_s, float usual_mm_s);

#endif
