#version 330
in vec3 in_position;
in vec4 in_colour;
uniform mat4 view_projection;
out vec4 colour;
out vec3 position;
void main() {
    colour = in_colour;
    position = in_position;
    gl_Position = view_projection * vec4(in_position, 1.0);
}
