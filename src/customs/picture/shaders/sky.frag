#version 330
in float height;
uniform vec3 above;
uniform vec3 below;
out vec4 result;
void main() { result = vec4(mix(below, above, height), 1.0); }
