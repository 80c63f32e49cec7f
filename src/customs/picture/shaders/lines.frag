#version 330
in vec4 colour;
in vec3 position;
uniform vec3 eye;
uniform float fade;
out vec4 result;
void main() {
    float near = fade > 0.0 ? clamp(1.0 - length(position.xz - eye.xz) / fade, 0.0, 1.0) : 1.0;
    result = vec4(colour.rgb, colour.a * near);
}
