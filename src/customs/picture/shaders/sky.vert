#version 330
out float height;
void main() {
    vec2 p = vec2(gl_VertexID == 1 ? 3.0 : -1.0, gl_VertexID == 2 ? 3.0 : -1.0);
    height = p.y * 0.5 + 0.5;
    gl_Position = vec4(p, 1.0, 1.0);
}
