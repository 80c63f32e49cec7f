#version 330
// Many things at many places in one vertex array: which row each instance is stands in `chosen`, where it stands in `places`.
in vec3 in_position;
in vec3 in_normal;
in float in_material;
uniform sampler2D places;      // three texels a row, 1024 rows wide
uniform sampler2D chosen;      // a row number and whether it is marked, 1024 wide
uniform sampler2D palette;     // a colour a material, 1024 wide
uniform int first;
uniform mat4 view_projection;
uniform float cut;
uniform vec3 sun;
uniform vec4 lights;
out vec4 tone;

void main() {
    int k = first + gl_InstanceID;
    vec2 which = texelFetch(chosen, ivec2(k & 1023, k >> 10), 0).rg;
    int row = int(which.x + 0.5), material = int(in_material + 0.5);
    ivec2 at = ivec2((row & 1023) * 3, row >> 10);
    vec4 a = texelFetch(places, at, 0), b = texelFetch(places, at + ivec2(1, 0), 0), c = texelFetch(places, at + ivec2(2, 0), 0);
    vec4 p = vec4(in_position, 1.0);
    vec3 n = vec3(dot(a.xyz, in_normal), dot(b.xyz, in_normal), dot(c.xyz, in_normal));
    n /= max(length(n), 1e-9);
    vec4 colour = texelFetch(palette, ivec2(material & 1023, material >> 10), 0);
    float light = lights.w * (0.42 + 0.12 * n.y) + lights.x * 0.52 * max(dot(n, sun), 0.0);
    bool faint = which.y > 1.5, marked = which.y - (faint ? 2.0 : 0.0) > 0.5;
    vec3 lit = marked ? vec3(0.06, 0.42, 0.42) : pow(colour.rgb * light, vec3(1.0 / 2.2));
    tone = vec4(lit, faint ? 0.1 : colour.a);
    gl_ClipDistance[0] = cut - dot(b, p);
    gl_Position = view_projection * vec4(dot(a, p), dot(b, p), dot(c, p), 1.0);
}
