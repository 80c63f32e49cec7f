#version 330
in vec4 in_place;      // middle, pixels
in vec3 in_colour;
uniform mat4 view_projection;
uniform float cut;
uniform vec4 lights;
out vec4 tone;

void main() {
    tone = vec4(pow(in_colour * (lights.w * 0.45 + lights.x * 0.25), vec3(1.0 / 2.2)), 1.0);
    gl_ClipDistance[0] = cut - in_place.y;
    gl_Position = view_projection * vec4(in_place.xyz, 1.0);
    gl_PointSize = in_place.w;
}
