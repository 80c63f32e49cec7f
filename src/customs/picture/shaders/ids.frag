#version 330
in vec2 uv0;
in vec2 uv1;
in vec4 colour;
flat in int instance;
uniform vec4 base_factor;
uniform int alpha_mode;     // 0 opaque, 1 mask, 2 blend
uniform float alpha_cutoff;
uniform int slots;
uniform int second_set;
uniform mat3 uv_map;
uniform sampler2D tex_base;
uniform int element;
out ivec4 result;

// What is drawn here: number of the element, which of its places, which of its triangles. What is cut out is not there.
void main() {
    float alpha = base_factor.a * colour.a;
    if ((slots & 1) != 0) alpha *= texture(tex_base, (uv_map * vec3((second_set & 1) != 0 ? uv1 : uv0, 1.0)).xy).a;
    if (alpha_mode == 1 && alpha < alpha_cutoff) discard;
    result = ivec4(element, instance, gl_PrimitiveID, 1);
}
