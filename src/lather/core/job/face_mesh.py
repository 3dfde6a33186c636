"""Which of the 468 points of the face mesh lie where. Left and right are those of the picture."""

OVAL = (10, 338, 297, 332, 284, 251, 389, 356, 454, 323, 361, 288, 397, 365, 379, 378, 400, 377, 152, 148, 176, 149,
        150, 136, 172, 58, 132, 93, 234, 127, 162, 21, 54, 103, 67, 109)
"""Round the face from the middle of the forehead, clockwise as seen."""
LIPS_OUTER = (61, 185, 40, 39, 37, 0, 267, 269, 270, 409, 291, 375, 321, 405, 314, 17, 84, 181, 91, 146)
LIPS_INNER = (78, 191, 80, 81, 82, 13, 312, 311, 310, 415, 308, 324, 318, 402, 317, 14, 87, 178, 88, 95)
EYES = {
    "left": (33, 246, 161, 160, 159, 158, 157, 173, 133, 155, 154, 153, 145, 144, 163, 7),
    "right": (263, 466, 388, 387, 386, 385, 384, 398, 362, 382, 381, 380, 374, 373, 390, 249),
}
"""Round the opening of each eye from its outer corner, over the upper lid."""
LIDS = {
    "left": (130, 247, 30, 29, 27, 28, 56, 190, 243, 112, 26, 22, 23, 24, 110, 25),
    "right": (359, 467, 260, 259, 257, 258, 286, 414, 463, 341, 256, 252, 253, 254, 339, 255),
}
"""Round the lids of each eye, a finger further out."""
UNDER_EYES = {
    "left": (25, 110, 24, 23, 22, 26, 112, 243, 244, 233, 232, 231, 230, 229, 228, 31, 226),
    "right": (255, 339, 254, 253, 252, 256, 341, 463, 464, 453, 452, 451, 450, 449, 448, 261, 446),
}
BROWS = {
    "left": (70, 63, 105, 66, 107, 55, 65, 52, 53, 46),
    "right": (300, 293, 334, 296, 336, 285, 295, 282, 283, 276),
}
NOSE = (168, 193, 245, 188, 174, 217, 126, 142, 129, 98, 97, 2, 326, 327, 358, 371, 355, 437, 399, 412, 465, 417)
NOSTRILS = {"left": (79, 166, 60, 20, 238), "right": (309, 392, 290, 250, 458)}
NOSE_TIP, CHIN, FOREHEAD_TOP = 1, 152, 10
MOUTH_CORNERS = {"left": 61, "right": 291}
JAW_CORNERS = {"left": 172, "right": 397}
EYE_CORNERS = {"left": (33, 133), "right": (362, 263)}
"""(on the left, on the right) of each eye."""
BETWEEN = {
    "left": (187, 205, 207, 50, 101, 36, 142, 203, 206, 216, 212, 214, 192, 213, 147, 123, 116, 117, 118, 119, 100, 64,
             48, 49, 131, 198, 138, 135, 169, 170, 140, 171, 208, 32, 194, 204, 202, 210, 211, 43, 57, 186, 92, 165,
             167, 137, 177, 215, 227, 34, 143, 111, 35, 104, 69, 108, 68, 71, 139, 156),
    "right": (411, 425, 427, 280, 330, 266, 371, 423, 426, 436, 432, 434, 416, 433, 376, 352, 345, 346, 347, 348, 329,
              294, 278, 279, 360, 420, 367, 364, 394, 395, 369, 396, 428, 262, 418, 424, 422, 430, 431, 273, 287, 410,
              322, 391, 393, 366, 401, 435, 447, 264, 372, 340, 265, 333, 299, 337, 298, 301, 368, 383),
}
"""On cheeks, chin and forehead, between the features: each place and its mirror on the other side."""
POINTS = 468
SMALL_ZONES = {
    **{f"eye, {side}": outline for side, outline in LIDS.items()},
    **{f"brow, {side}": outline for side, outline in BROWS.items()},
    **{f"under-eye, {side}": outline for side, outline in UNDER_EYES.items()},
    "lips": LIPS_OUTER,
}
"""Zones that are told by an outline of their own, the narrowest first."""
